import { change, type Change, type Copy, type Sheet } from './copy.ts'
import type { FieldInfo, KindName } from './wire.ts'

/** Which changes are wanted; what is not given is any. */
export interface On {
  /** The sheet's number, such as a seat. */
  sheet?: number
  kind?: KindName
  /** The seat whose record or player sheet it is. */
  owner?: number
  /** By name; without it the coming and going of sheets is told too. */
  field?: string
}

/** Tells changes to those who want them. */
export class Watchers {
  private readonly all = new Set<{ on: On; f: (c: Change) => void }>()

  constructor(private readonly call: (f: () => void) => void) {}

  /** Adds a watcher and tells it what is there already, as first values. */
  add(on: On, f: (c: Change) => void, copy: Copy | undefined): () => void {
    const w = { on, f }
    this.all.add(w)
    for (const s of copy?.sheets.values() ?? []) {
      if (wants(on, s)) this.call(() => f(change(s, { appeared: true })))
      for (const field of s.fields())
        if (wants(on, s, field)) this.call(() => f(change(s, { first: true }, field, undefined, s.raw(field.name))))
    }
    return () => void this.all.delete(w)
  }

  tell(changes: Change[]) {
    for (const c of changes) for (const w of this.all) if (wants(w.on, c.sheet, c.field)) this.call(() => w.f(c))
  }
}

function wants(on: On, s: Sheet, field?: FieldInfo): boolean {
  return (
    (on.sheet === undefined || on.sheet === s.id) &&
    (on.kind === undefined || on.kind === s.kind) &&
    (on.owner === undefined || on.owner === s.owner) &&
    (on.field === undefined || on.field === field?.name)
  )
}
