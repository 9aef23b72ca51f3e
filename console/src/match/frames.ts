// What several copies of a match held at the same tick, and since when they differ.
import { same, type Change, type Copy, type FieldInfo, type KindName, type Value } from 'turnvex-client'
import type { LiveSource } from './source.ts'

/** A sheet at a tick. It does not change once it is made. */
interface Held {
  kind: KindName
  owner: number
  values: ReadonlyMap<number, Value>
}

/** All sheets at a tick. It does not change once it is made. */
export interface Frame {
  tick: number
  sheets: ReadonlyMap<number, Held>
}

const kept = 200

/** Remembers the last frames of a source. */
export class Recorder {
  private readonly frames: Frame[] = []
  private readonly end: () => void
  /** When the last message came, and how many there were. */
  heard = performance.now()

  constructor(readonly source: LiveSource) {
    if (source.copy) this.whole(source.copy)
    this.end = source.tap((changes, copy) => this.take(changes, copy))
  }

  close() {
    this.end()
  }

  /** What was held at a tick: the last frame that is not later; nothing is known of the time before the first. */
  at(tick: number): Frame | undefined {
    return this.frames.findLast((f) => f.tick <= tick)
  }

  private whole(copy: Copy) {
    const sheets = new Map<number, Held>()
    for (const s of copy.sheets.values()) sheets.set(s.id, { kind: s.kind, owner: s.owner, values: new Map(s.values) })
    this.add({ tick: copy.tick, sheets })
  }

  private take(changes: Change[], copy: Copy) {
    this.heard = performance.now()
    const last = this.frames.at(-1)
    if (!last) return this.whole(copy)
    const sheets = new Map(last.sheets)
    for (const id of new Set(changes.map((c) => c.sheet.id))) {
      const s = copy.sheet(id)
      if (s) sheets.set(id, { kind: s.kind, owner: s.owner, values: new Map(s.values) })
      else sheets.delete(id)
    }
    this.add({ tick: copy.tick, sheets })
  }

  private add(f: Frame) {
    if (this.frames.at(-1)?.tick === f.tick) this.frames.pop()
    this.frames.push(f)
    if (this.frames.length > kept) this.frames.shift()
  }
}

/** One field, in the truth and in the copies. */
export interface Row {
  key: string
  sheet: number
  kind: KindName
  owner: number
  field: FieldInfo
  truth: Value | undefined
  /** Undefined where it is not visible. */
  held: (Value | undefined)[]
  /** For each copy: since how many ticks it differs, undefined if it does not. */
  since: (number | undefined)[]
}

/** A difference that was seen, and is kept. */
export interface Fault {
  key: string
  copy: number
  from: number
  to?: number
  sheet: number
  field: FieldInfo
  truth: Value | undefined
  held: Value | undefined
}

/** Compares copies with the truth, tick by tick, and keeps the differences that it finds. */
export class Comparison {
  readonly faults: Fault[] = []
  private readonly open = new Map<string, { from: number; fault?: Fault }>()

  /** How many ticks later than the truth a field may be: its rate, or how far positions are told, may say so. */
  private lag(copy: Copy, f: FieldInfo): number {
    return Math.max(f.every ?? 0, f.name === 'pos' ? (copy.ground?.sight?.every ?? 0) : 0)
  }

  /** The rows of some kinds at a tick. Differences that last for longer than they may are kept. */
  rows(copy: Copy, truth: Frame, copies: (Frame | undefined)[], kinds: readonly string[], tick: number): Row[] {
    const out: Row[] = []
    const seen = new Set<string>()
    for (const [id, s] of [...truth.sheets].sort((a, b) => a[0] - b[0])) {
      const shown = kinds.includes(s.kind)
      for (const [no, value] of s.values) {
        const field = copy.schema.at(s.kind, no)
        if (!field) continue
        const held = copies.map((c) => c?.sheets.get(id)?.values.get(no))
        const since = held.map((v, i) => {
          const key = `${i}/${id}/${no}`
          if (v === undefined || same(v, value)) return this.close(key, tick)
          seen.add(key)
          return this.differs(key, tick, this.lag(copy, field), {
            key,
            copy: i,
            from: tick,
            sheet: id,
            field,
            truth: value,
            held: v,
          })
        })
        if (shown)
          out.push({ key: `${id}/${no}`, sheet: id, kind: s.kind, owner: s.owner, field, truth: value, held, since })
      }
    }
    // what is not there any more differs no longer
    for (const key of this.open.keys()) if (!seen.has(key)) this.close(key, tick)
    return out.sort(
      (a, b) => a.sheet - b.sheet || Number(!a.field.own) - Number(!b.field.own) || a.field.no - b.field.no,
    )
  }

  private differs(key: string, tick: number, lag: number, fault: Fault): number | undefined {
    const was = this.open.get(key) ?? { from: tick }
    this.open.set(key, was)
    if (tick - was.from < lag + GRACE) return undefined
    if (!was.fault) {
      was.fault = { ...fault, from: was.from }
      this.faults.unshift(was.fault)
      this.faults.length = Math.min(this.faults.length, 50)
    }
    return tick - was.from
  }

  private close(key: string, tick: number): undefined {
    const was = this.open.get(key)
    if (was?.fault) was.fault.to = tick
    this.open.delete(key)
    return undefined
  }
}

/** Ticks for which a difference may last: copies on their way are not yet a fault. */
const GRACE = 6
