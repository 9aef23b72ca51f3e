import { clockTicks } from './clock.ts'
import { kinds, type BookInfo, type FieldInfo, type KindName, type Part, type Value } from './wire.ts'

/** One sheet of a copy. */
export class Sheet {
  readonly values = new Map<number, Value>()

  constructor(
    readonly id: number,
    readonly kind: KindName,
    readonly owner: number,
    private readonly schema: Schema,
  ) {}

  /** The fields that are to be seen, in their order. */
  fields(): FieldInfo[] {
    return this.schema.fields(this.kind).filter((f) => this.values.has(f.no))
  }

  field(name: string): FieldInfo | undefined {
    return this.schema.named(this.kind, name)
  }

  /** A field's value as it is sent, undefined where it is not to be seen. */
  raw(name: string): Value | undefined {
    const f = this.field(name)
    return f && this.values.get(f.no)
  }

  /** A field's value: numbers as decimals, choices as their word. */
  get(name: string): Value | undefined {
    const f = this.field(name)
    return f && plain(f, this.values.get(f.no))
  }

  num(name: string): number {
    const v = this.get(name)
    return typeof v === 'number' ? v : 0
  }

  text(name: string): string {
    const v = this.get(name)
    return typeof v === 'string' ? v : ''
  }

  flag(name: string): boolean {
    return this.get(name) === true
  }

  pos(name = 'pos'): [number, number] | undefined {
    const v = this.raw(name)
    return Array.isArray(v) ? [v[0] ?? 0, v[1] ?? 0] : undefined
  }
}

/** Turns a value as it is sent into the one that people reckon with. */
export function plain(f: FieldInfo, v: Value | undefined): Value | undefined {
  if (typeof v !== 'number') return v
  if (f.type === 'number') return v / 1000
  if (f.type === 'choice') return f.choices?.[v] ?? String(v)
  return v
}

/** The fields of each kind of sheet. */
export class Schema {
  private readonly byNo: FieldInfo[][]
  private readonly byName: Map<string, FieldInfo>[]

  constructor(described: { kinds: (FieldInfo[] | null)[] }) {
    this.byNo = kinds.map((_, k) => {
      const list: FieldInfo[] = []
      for (const f of described.kinds[k] ?? []) list[f.no] = f
      return list
    })
    this.byName = this.byNo.map((list) => new Map(list.filter(Boolean).map((f) => [f.name, f])))
  }

  fields(kind: KindName): FieldInfo[] {
    return (this.byNo[kinds.indexOf(kind)] ?? []).filter(Boolean)
  }

  at(kind: KindName, no: number): FieldInfo | undefined {
    return this.byNo[kinds.indexOf(kind)]?.[no]
  }

  named(kind: KindName, name: string): FieldInfo | undefined {
    return this.byName[kinds.indexOf(kind)]?.get(name)
  }
}

/** One thing that changed in a copy. `old` is undefined the first time, `now` when it is withdrawn. */
export interface Change {
  sheet: Sheet
  field?: FieldInfo
  old?: Value
  now?: Value
  appeared?: boolean
  gone?: boolean
}

const APPEAR = 0
const GONE = -1
const WITHDRAW = -2

/** A client's copy of what it may see. */
export class Copy {
  tick = 0
  sheets = new Map<number, Sheet>()

  constructor(
    readonly schema: Schema,
    readonly book: BookInfo,
    readonly rate: number,
  ) {}

  of(kind: KindName): Sheet[] {
    return [...this.sheets.values()].filter((s) => s.kind === kind).sort((a, b) => a.id - b.id)
  }

  get lobby(): Sheet | undefined {
    return this.of('lobby')[0]
  }

  get match(): Sheet | undefined {
    return this.of('match')[0]
  }

  /** What a clock field shows at wall tick `wall`, in milliseconds. */
  clock(sheet: Sheet | undefined, name: string, wall: number): number {
    const v = sheet?.raw(name)
    if (!Array.isArray(v)) return 0
    let now = wall
    if (!sheet?.field(name)?.wall) {
      const play = this.match?.raw('play')
      now = Array.isArray(play) ? clockTicks(play, wall) : 0
    }
    return Math.floor((clockTicks(v, now) * 1000) / this.rate)
  }

  /** Takes a snapshot's parts as the whole copy and tells what differs from before. */
  replace(parts: Part[]): Change[] {
    const before = this.sheets
    this.sheets = new Map()
    this.apply(parts)
    const changes: Change[] = []
    for (const s of before.values()) if (!this.sheets.has(s.id)) changes.push({ sheet: s, gone: true })
    for (const s of this.sheets.values()) {
      const old = before.get(s.id)
      if (!old) changes.push({ sheet: s, appeared: true })
      for (const f of this.schema.fields(s.kind)) {
        const was = old?.values.get(f.no)
        const now = s.values.get(f.no)
        if (!same(was, now)) changes.push({ sheet: s, field: f, old: was, now })
      }
    }
    return changes
  }

  /** Takes a delta's parts in. After an error the copy must be replaced by a snapshot. */
  apply(parts: Part[]): Change[] {
    const changes: Change[] = []
    for (const part of parts) {
      const op = part[0] as number
      if (op === APPEAR) {
        const kind = kinds[part[2] as number]
        if (!kind) throw new Error(`sheet ${String(part[1])} is of unknown kind ${String(part[2])}`)
        const s = new Sheet(part[1] as number, kind, part[3] as number, this.schema)
        this.sheets.set(s.id, s)
        changes.push({ sheet: s, appeared: true })
        this.fields(s, part, 4, changes)
      } else if (op === GONE) {
        for (const id of part.slice(1) as number[]) {
          const s = this.sheets.get(id)
          if (s) changes.push({ sheet: s, gone: true })
          this.sheets.delete(id)
        }
      } else if (op === WITHDRAW) {
        const s = this.sheets.get(part[1] as number)
        for (const no of part.slice(2) as number[]) {
          const field = s && this.schema.at(s.kind, no)
          if (!s || !field || !s.values.has(no)) continue
          changes.push({ sheet: s, field, old: s.values.get(no) })
          s.values.delete(no)
        }
      } else {
        const s = this.sheets.get(op)
        if (!s) throw new Error(`sheet ${op} is changed but was never told`)
        this.fields(s, part, 1, changes)
      }
    }
    return changes
  }

  private fields(s: Sheet, part: Part, from: number, changes: Change[]) {
    for (let i = from; i + 1 < part.length; i += 2) {
      const field = this.schema.at(s.kind, part[i] as number)
      if (!field) throw new Error(`${s.kind} ${s.id} has no field number ${String(part[i])}`)
      const old = s.values.get(field.no)
      const now = part[i + 1] as Value
      s.values.set(field.no, now)
      if (!same(old, now)) changes.push({ sheet: s, field, old, now })
    }
  }
}

export function same(a: Value | undefined, b: Value | undefined): boolean {
  return Array.isArray(a) && Array.isArray(b) ? a.length === b.length && a.every((x, i) => x === b[i]) : a === b
}
