// One source of a match, which every view reads: live, or recorded.
import { ahead, between, Connection, Copy, Schema } from 'turnvex-client'
import type { BookInfo, Bye, Change, Notice, Options, Part, Sheet, State } from 'turnvex-client'

/** A match as views see it. They are told of what changes by keys: see keysOf. */
export interface Source {
  readonly copy: Copy | undefined
  /** What happened, the newest last: a new array each time. */
  readonly notices: readonly Notice[]
  /** Whether it is there; of what is recorded: open. */
  readonly state: State
  readonly why?: Bye
  /** Why play stands still, while it does. */
  readonly still?: string
  /** The tick to draw at, with its fraction. */
  tick(): number
  /** Calls f, at most once a frame, when something has changed that a key stands for. */
  watch(keys: readonly string[], f: () => void): () => void
  /** How often anything has changed: who has not watched yet sees by it whether they have missed something. */
  changes(): number
}

/** What a change is told by: its sheet, its field of that sheet, all of its kind, or that one came or went. */
export function keysOf(c: Change): string[] {
  const { sheet, field } = c
  const all = [`${sheet.kind}`, `#${sheet.id}`]
  if (field) all.push(`#${sheet.id}.${field.name}`, `${sheet.kind}.${field.name}`)
  else all.push(`${sheet.kind}+`)
  return all
}

/** Tells watchers at most once a frame. */
class Beat {
  private readonly byKey = new Map<string, Set<() => void>>()
  private readonly due = new Set<() => void>()
  private waiting = false
  count = 0

  watch(keys: readonly string[], f: () => void): () => void {
    for (const k of keys) {
      const all = this.byKey.get(k) ?? new Set()
      this.byKey.set(k, all)
      all.add(f)
    }
    return () => {
      this.due.delete(f)
      for (const k of keys) {
        const all = this.byKey.get(k)
        all?.delete(f)
        if (all?.size === 0) this.byKey.delete(k)
      }
    }
  }

  tell(keys: Iterable<string>) {
    this.count++
    for (const k of keys) for (const f of this.byKey.get(k) ?? []) this.due.add(f)
    this.soon()
  }

  all() {
    this.count++
    for (const set of this.byKey.values()) for (const f of set) this.due.add(f)
    this.soon()
  }

  private soon() {
    if (this.waiting || this.due.size === 0) return
    this.waiting = true
    const flush = () => {
      this.waiting = false
      const now = [...this.due]
      this.due.clear()
      for (const f of now) f()
    }
    if (document.hidden)
      setTimeout(flush, 250) // frames are not drawn there
    else requestAnimationFrame(flush)
  }
}

const keptNotices = 400

/** A match as a connection shows it. */
export class LiveSource implements Source {
  notices: readonly Notice[] = []
  state: State = 'connecting'
  why?: Bye
  still?: string
  readonly connection: Connection
  private readonly beat = new Beat()
  private readonly taps = new Set<(changes: Change[], copy: Copy) => void>()

  constructor(options: Options) {
    this.connection = new Connection({
      ahead,
      ...options,
      onChange: (changes, copy) => {
        const keys = new Set<string>()
        for (const c of changes) for (const k of keysOf(c)) keys.add(k)
        if (changes.length > 0) keys.add('any')
        this.beat.tell(keys)
        for (const f of this.taps) f(changes, copy)
      },
      onNotice: (n) => {
        this.notices = [...this.notices.slice(1 - keptNotices), { ...n, with: n.raw }]
        this.beat.tell(['notices'])
      },
      onStill: (m) => {
        this.still = m.over ? undefined : m.why
        this.beat.tell(['state'])
      },
      onState: (state, why) => {
        this.state = state
        this.still = undefined
        this.why = why
        this.beat.tell(['state'])
      },
    })
  }

  get copy() {
    return this.connection.copy
  }

  tick() {
    return this.connection.exactTick()
  }

  changes() {
    return this.beat.count
  }

  watch(keys: readonly string[], f: () => void) {
    return this.beat.watch(keys, f)
  }

  /** Calls f with each change as it is taken in. */
  tap(f: (changes: Change[], copy: Copy) => void): () => void {
    this.taps.add(f)
    return () => void this.taps.delete(f)
  }

  close() {
    this.connection.close()
  }
}

/** A line of a playback. */
export type Line =
  | {
      is: 'playback'
      rulebook: string
      version: string
      rate: number
      from: number
      last: number
      schema: never
      book: BookInfo
    }
  | { is: 'snapshot'; tick: number; parts: Part[] }
  | { is: 'delta'; tick: number; on: number; parts: Part[] }
  | Notice
  | Input
  | { is: 'end'; tick: number; more: boolean; missing?: number }

/** What a lobby took in. */
export interface Input {
  is: 'input'
  tick: number
  kind: string
  seat?: number
  do?: string
  name?: string
  target?: number
  at?: number[]
  code?: string
}

interface Step {
  tick: number
  whole: boolean
  parts: Part[]
}

const keyframeEvery = 120

/** A match as it was recorded: at any of its ticks. What it holds does not change once it is made. */
export class RecordedSource implements Source {
  copy: Copy | undefined
  notices: readonly Notice[] = []
  readonly state: State = 'open'
  readonly inputs: Input[] = []
  /** The ticks at which matches begin, and the number of the first of them. */
  readonly starts: number[] = []
  firstMatch = 1
  /** Ticks between which nothing is kept. */
  readonly gaps: [number, number][] = []
  first = 0
  last = 0
  rate = 20
  private readonly beat = new Beat()
  private readonly steps: Step[] = []
  private readonly told: Notice[] = []
  /** Whole copies, by the number of steps that are in them. */
  private readonly keyframes: { steps: number; tick: number; parts: Part[] }[] = []
  private book?: BookInfo
  private schema?: Schema
  private at = 0
  private taken = 0

  constructor(lines: readonly Line[]) {
    let made: Copy | undefined
    for (const l of lines) {
      switch (l.is) {
        case 'playback':
          this.rate = l.rate
          this.book ??= l.book
          this.schema ??= new Schema(l.schema)
          made ??= new Copy(this.schema, this.book, this.rate)
          break
        case 'snapshot':
        case 'delta': {
          if (!made) break
          if (l.is === 'snapshot') made.replace(l.parts, l.tick)
          else made.apply(l.parts, l.tick)
          if (this.steps.length === 0) this.first = l.tick
          this.steps.push({ tick: l.tick, whole: l.is === 'snapshot', parts: l.parts })
          if (this.steps.length % keyframeEvery === 1)
            this.keyframes.push({ steps: this.steps.length, tick: l.tick, parts: made.parts() })
          this.last = l.tick
          this.began(made, l.tick)
          break
        }
        case 'input':
          this.inputs.push(l)
          break
        case 'notice':
          this.told.push(l)
          break
        case 'end':
          this.last = Math.max(this.last, l.tick)
          if (l.missing) this.gaps.push([l.tick, l.missing])
      }
    }
    this.seek(this.first)
  }

  /** Notes a match that is new in the copy. */
  private began(copy: Copy, tick: number) {
    const number = copy.match?.num('number') ?? 0
    if (number === 0 || number === this.firstMatch + this.starts.length - 1) return
    if (this.starts.length === 0) this.firstMatch = number
    this.starts.push(tick)
  }

  tick() {
    return this.at
  }

  changes() {
    return this.beat.count
  }

  watch(keys: readonly string[], f: () => void) {
    return this.beat.watch(keys, f)
  }

  /** Shows the match at a tick, with its fraction. */
  seek(tick: number) {
    this.at = Math.min(Math.max(tick, this.first), this.last)
    if (!this.schema || !this.book) return
    const back = !this.copy || this.at < this.copy.tick
    const frame = this.keyframes.findLast((k) => k.tick <= this.at)
    if (back || (frame && frame.steps > this.taken)) {
      this.copy = new Copy(this.schema, this.book, this.rate)
      this.taken = frame?.steps ?? 0
      if (frame) this.copy.replace(frame.parts, frame.tick)
      this.beat.all()
    }
    const keys = new Set<string>()
    while (this.copy && this.taken < this.steps.length && this.steps[this.taken]!.tick <= this.at) {
      const s = this.steps[this.taken++]!
      const changes = s.whole ? this.copy.replace(s.parts, s.tick) : this.copy.apply(s.parts, s.tick)
      for (const c of changes) for (const k of keysOf(c)) keys.add(k)
      keys.add('any')
    }
    const shown = this.told.filter((n) => (n.tick ?? 0) <= this.at)
    if (shown.length !== this.notices.length) {
      this.notices = shown
      keys.add('notices')
    }
    keys.add('tick')
    this.beat.tell(keys)
  }
}

/** Where a sheet is drawn on the map, in millimetres. */
export function placeOf(source: Source, sheet: Sheet): [number, number] {
  const [x, y] =
    source instanceof LiveSource ? source.connection.frame().place(sheet) : between(sheet.track.seen, source.tick())
  return [x, y]
}

/** What a clock field shows now, in milliseconds. */
export function clockOf(source: Source, sheet: Sheet | undefined, name: string): number {
  return source.copy?.clock(sheet, name, Math.floor(source.tick())) ?? 0
}
