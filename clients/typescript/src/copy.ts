import { clockTicks } from './clock.ts'
import { crc32 } from './hash.ts'
import { Track } from './track.ts'
import {
  kinds,
  type ArenaInfo,
  type BookInfo,
  type FieldInfo,
  type GroundInfo,
  type KindName,
  type Part,
  type Value,
} from './wire.ts'

/** One sheet of a copy. */
export class Sheet {
  /** The service's values, by the fields' numbers. */
  values = new Map<number, Value>()
  /** What is shown in place of them until a verdict is there, the newest last. */
  expected: Expectation[] = []
  /** Where it was seen lately. */
  track = new Track()
  /** By how much its places changed when they were told last. */
  steps = new Map<number, number[]>()

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
    return f && this.shown(f.no)
  }

  /** A field's value as it is shown: an expectation, or the service's. */
  shown(no: number): Value | undefined {
    const e = this.expected.findLast((e) => e.field.no === no)
    return e ? e.value : this.values.get(no)
  }

  /** A field's value: numbers as decimals, choices as their word. */
  get(name: string): Value | undefined {
    const f = this.field(name)
    return f && plain(f, this.shown(f.no))
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
    return isNumbers(v) ? [v[0] ?? 0, v[1] ?? 0] : undefined
  }

  /** How high above 0 a position is, in millimetres; 0 where positions have two lengths. */
  height(name = 'pos'): number {
    const v = this.raw(name)
    return isNumbers(v) ? (v[2] ?? 0) : 0
  }
}

/** A value of several numbers: a position, a clock, or a list. */
const isNumbers = (v: Value | undefined): v is number[] => Array.isArray(v) && typeof v[0] !== 'string'

/** Turns a value as it is sent into the one that people reckon with. */
export function plain(f: FieldInfo, v: Value | undefined): Value | undefined {
  if (f.type === 'list' && Array.isArray(v) && f.item === 'choice') {
    return v.map((n) => f.choices?.[n as number] ?? String(n))
  }
  if (typeof v !== 'number') return v
  if (f.type === 'number') return v / 1000
  if (f.type === 'choice') return f.choices?.[v] ?? String(v)
  return v
}

/** Turns such a value into the one that is sent. */
export function sent(f: FieldInfo, v: Value): Value {
  const word = (w: string | number) => {
    const n = typeof w === 'number' ? w : (f.choices ?? []).indexOf(w)
    if (n < 0) throw new Error(`${f.name} is one of ${(f.choices ?? []).join(', ')}, not ${w}`)
    return n
  }
  if (f.type === 'list' && Array.isArray(v) && f.item === 'choice') return v.map(word)
  if (f.type === 'choice') return word(v as string)
  return f.type === 'number' ? Math.round((v as number) * 1000) : v
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

/** How something changed. */
interface How {
  /** The field was not there before. */
  first?: boolean
  appeared?: boolean
  gone?: boolean
  /** `now` is not the service's value but an expectation. */
  expected?: boolean
  /** An expectation has ended, and the service's value is another one. */
  undone?: boolean
}

/** One thing that changed in a copy. */
export interface Change extends How {
  sheet: Sheet
  field?: FieldInfo
  /** As Sheet.get shows it; undefined the first time. */
  readonly old?: Value
  /** The same; undefined when it is withdrawn. */
  readonly now?: Value
  /** As they are sent. */
  raw: { old?: Value; now?: Value }
}

/** A change of a field, or without one of a sheet. */
export function change(sheet: Sheet, how: How, field?: FieldInfo, old?: Value, now?: Value): Change {
  return {
    sheet,
    field,
    ...how,
    raw: { old, now },
    get old() {
      return field && plain(field, old)
    },
    get now() {
      return field && plain(field, now)
    },
  }
}

/** A value that is shown before the service has decided. */
export interface Expectation {
  field: FieldInfo
  value: Value
}

const APPEAR = 0
const GONE = -1
const WITHDRAW = -2
const COLUMN = -3
const SPLICE = -4
const COURSE = -5

/** How many elements values take in a column, where that is not one. */
const widths: Partial<Record<FieldInfo['type'], number>> = { position: 2, position3: 3, clock: 3 }

/** A client's copy of what it may see. */
export class Copy {
  tick = 0
  private all = new Map<number, Sheet>()
  /** The sheets of each kind in their order, as far as they were asked for. */
  private readonly byKind = new Map<KindName, Sheet[]>()

  constructor(
    readonly schema: Schema,
    readonly book: BookInfo,
    readonly rate: number,
  ) {}

  /** All sheets by their numbers. */
  get sheets(): Map<number, Sheet> {
    return this.all
  }
  set sheets(all: Map<number, Sheet>) {
    this.all = all
    this.byKind.clear()
  }

  /** A sheet by its number, if there is one, of that kind. */
  sheet(id: number, kind?: KindName): Sheet | undefined {
    const s = this.all.get(id)
    return kind === undefined || s?.kind === kind ? s : undefined
  }

  /** The sheets of a kind, by their numbers: the same array until one comes or goes. */
  of(kind: KindName): readonly Sheet[] {
    let list = this.byKind.get(kind)
    if (!list) {
      list = [...this.all.values()].filter((s) => s.kind === kind).sort((a, b) => a.id - b.id)
      this.byKind.set(kind, list)
    }
    return list
  }

  get lobby(): Sheet | undefined {
    return this.of('lobby')[0]
  }

  get match(): Sheet | undefined {
    return this.of('match')[0]
  }

  /** The arena of the match, or between matches that of the next one. */
  get arena(): ArenaInfo | undefined {
    const name = (this.match ?? this.lobby)?.text('arena')
    return this.book.arenas?.find((a) => a.name === name)
  }

  /** The ground of the present match, or of the next one. */
  get ground(): GroundInfo | undefined {
    return this.arena?.ground ?? this.book.ground
  }

  /** What a clock field shows at wall tick `wall`, in milliseconds. */
  clock(sheet: Sheet | undefined, name: string, wall: number): number {
    const v = sheet?.raw(name)
    if (!isNumbers(v)) return 0
    let now = wall
    if (!sheet?.field(name)?.wall) {
      const play = this.match?.raw('play')
      now = isNumbers(play) ? clockTicks(play, wall) : 0
    }
    return Math.floor((clockTicks(v, now) * 1000) / this.rate)
  }

  /** Takes a snapshot's parts as the whole copy of a tick and tells what differs from before. */
  replace(parts: Part[], tick = this.tick): Change[] {
    const before = this.sheets
    this.sheets = new Map()
    this.apply(parts, tick)
    const changes: Change[] = []
    for (const s of before.values()) if (!this.sheets.has(s.id)) changes.push(change(s, { gone: true }))
    for (const s of this.sheets.values()) {
      const old = before.get(s.id)
      if (old) {
        s.expected = old.expected
        const no = s.field('pos')?.no ?? -1
        const now = s.values.get(no)
        if (isNumbers(now)) {
          s.track = old.track
          this.follow(s, now, old.values.get(no))
        }
      } else changes.push(change(s, { appeared: true }))
      for (const f of this.schema.fields(s.kind)) this.changed(changes, s, f, old?.values.get(f.no), s.values.get(f.no))
    }
    return changes
  }

  /** Takes a delta's parts in. After an error the copy must be replaced by a snapshot. */
  apply(parts: Part[], tick = this.tick): Change[] {
    const changes: Change[] = []
    this.tick = tick
    for (const part of parts) this.part(part, changes)
    return changes
  }

  private part(part: Part, changes: Change[]) {
    const op = part[0] as number
    switch (op) {
      case APPEAR: {
        const kind = kinds[part[2] as number]
        if (!kind) throw new Error(`sheet ${String(part[1])} is of unknown kind ${String(part[2])}`)
        const s = new Sheet(part[1] as number, kind, part[3] as number, this.schema)
        this.all.set(s.id, s)
        this.byKind.delete(kind)
        changes.push(change(s, { appeared: true }))
        this.fields(s, part, 4, changes)
        break
      }
      case GONE:
        for (const id of part.slice(1) as number[]) {
          const s = this.sheets.get(id)
          if (s) {
            changes.push(change(s, { gone: true }))
            this.byKind.delete(s.kind)
          }
          this.all.delete(id)
        }
        break
      case WITHDRAW: {
        const s = this.sheets.get(part[1] as number)
        for (const no of part.slice(2) as number[]) {
          const field = s && this.schema.at(s.kind, no)
          if (!s || !field || !s.values.has(no)) continue
          changes.push(change(s, {}, field, s.shown(no)))
          s.values.delete(no)
          if (field.name === 'pos') s.track = new Track()
        }
        break
      }
      case COLUMN:
        this.column(part, changes)
        break
      case SPLICE:
        this.splice(part, changes)
        break
      case COURSE:
        this.course(part as number[], changes)
        break
      default:
        this.fields(this.known(op), part, 1, changes)
    }
  }

  /** One field of several sheets; positions and clocks stand in it without lists. */
  private column(part: Part, changes: Change[]) {
    for (let i = 2; i < part.length; ) {
      const s = this.known(part[i] as number)
      const width = widths[this.schema.at(s.kind, part[1] as number)?.type ?? 'integer'] ?? 1
      const value = width > 1 ? (part.slice(i + 1, i + 1 + width) as number[]) : part[i + 1]
      if (width > 1 && (value as number[]).length < width)
        throw new Error(`${s.kind} ${s.id}: a column without a value`)
      this.fields(s, [part[1]!, value!], 0, changes)
      i += 1 + width
    }
  }

  /** Places of several sheets, by how much their steps differ from the ones before. */
  private course(part: number[], changes: Change[]) {
    let [, no, id, stride] = part as [number, number, number, number]
    for (let i = 4; i < part.length; id += stride) {
      const folded = part[i++]!
      let code = folded < 0 ? -1 - 2 * folded : 2 * folded
      let s = this.known(id)
      const ways = 3 ** (widths[this.schema.at(s.kind, no)?.type ?? 'integer'] ?? 1)
      id += Math.floor(code / (ways + 1)) * stride
      s = this.known(id)
      code %= ways + 1
      const step = s.steps.get(no)
      const old = s.values.get(no)
      if (!step || !isNumbers(old)) throw new Error(`${s.kind} ${s.id}: a step without the one before`)
      const now = old.map((x, k) => x + step[k]! + (code === ways ? part[i + k]! : (Math.floor(code / 3 ** k) % 3) - 1))
      if (code === ways) i += now.length
      this.fields(s, [no, now], 0, changes)
    }
  }

  /** In a list, items at some places give way to others. A list that is not here follows as a whole. */
  private splice(part: Part, changes: Change[]) {
    const s = this.known(part[1] as number)
    const no = part[2] as number
    let now = s.values.get(no)
    if (now === undefined) return
    for (let i = 3; i < part.length; ) {
      const [at, cut, n] = part.slice(i, i + 3) as [number, number, number]
      if (!Array.isArray(now) || !(at >= 0 && cut >= 0 && at + cut <= now.length))
        throw new Error(`${s.kind} ${s.id} has no ${cut} items from ${at} on in field ${no}`)
      now = [...now.slice(0, at), ...part.slice(i + 3, i + 3 + n), ...now.slice(at + cut)] as Value
      i += 3 + n
    }
    this.fields(s, [no, now], 0, changes)
  }

  private known(id: number): Sheet {
    const s = this.sheets.get(id)
    if (!s) throw new Error(`sheet ${id} is changed but was never told`)
    return s
  }

  private fields(s: Sheet, part: Part, from: number, changes: Change[]) {
    for (let i = from; i < part.length; i += 2) {
      const field = this.schema.at(s.kind, part[i] as number)
      if (!field) throw new Error(`${s.kind} ${s.id} has no field number ${String(part[i])}`)
      const old = s.values.get(field.no)
      const now = part[i + 1]
      if (now === undefined || now === null) throw new Error(`${s.kind} ${s.id}: a field without a value`)
      if (field.type.startsWith('position') && isNumbers(old) && isNumbers(now))
        s.steps.set(
          field.no,
          now.map((x, k) => x - old[k]!),
        )
      s.values.set(field.no, now)
      if (field.name === 'pos' && isNumbers(now)) this.follow(s, now, old)
      this.changed(changes, s, field, old, now)
    }
  }

  /** Keeps where something was seen, to draw it. */
  private follow(s: Sheet, now: number[], old: Value | undefined) {
    if (same(old, now)) return
    const speed = s.kind === 'player' ? (this.book.speed ?? 0) / this.rate : 0
    s.track.add({ tick: this.tick, x: now[0] ?? 0, y: now[1] ?? 0, z: now[2] }, this.rate, speed)
  }

  private changed(changes: Change[], s: Sheet, field: FieldInfo, old: Value | undefined, now: Value | undefined) {
    const hidden = old !== undefined && now !== undefined && s.expected.some((e) => e.field === field)
    if (!hidden && !same(old, now)) changes.push(change(s, old === undefined ? { first: true } : {}, field, old, now))
  }

  /** Shows a value in a field from now on. Of several expectations the newest is shown. */
  expect(id: number, name: string, value: Value): { change: Change; end: () => Change | undefined } {
    const s = this.known(id)
    const field = s.field(name)
    const old = field && s.shown(field.no)
    if (!field || old === undefined) throw new Error(`there is no field ${name} to be seen on sheet ${id}`)
    const e = { field, value: sent(field, value) }
    s.expected.push(e)
    return { change: change(s, { expected: true }, field, old, e.value), end: () => this.unexpect(id, e) }
  }

  /** Takes an expectation back; the change is what one sees of that. */
  private unexpect(id: number, e: Expectation): Change | undefined {
    const s = this.sheets.get(id)
    if (!s?.expected.includes(e)) return undefined
    const old = s.shown(e.field.no)
    s.expected.splice(s.expected.indexOf(e), 1)
    const now = s.shown(e.field.no)
    return same(old, now) ? undefined : change(s, { undone: true }, e.field, old, now)
  }

  /** The number by which copies are compared: see the protocol page. */
  hash(): number {
    let text = ''
    for (const s of this.inOrder()) {
      text += `${s.id},${kinds.indexOf(s.kind)},${s.owner}\n`
      for (const f of s.fields()) text += `${f.no}=${flat(s.values.get(f.no))}\n`
    }
    return crc32(text)
  }

  /** The copy as parts that make all its sheets appear. */
  parts(): Part[] {
    return this.inOrder().map((s) => [
      APPEAR,
      s.id,
      kinds.indexOf(s.kind),
      s.owner,
      ...s.fields().flatMap((f) => [f.no, s.values.get(f.no)!]),
    ])
  }

  private inOrder(): Sheet[] {
    return [...this.sheets.values()].sort((a, b) => a.id - b.id)
  }
}

function flat(v: Value | undefined): string {
  return typeof v === 'boolean' ? (v ? '1' : '0') : String(v)
}

export function same(a: Value | undefined, b: Value | undefined): boolean {
  return Array.isArray(a) && Array.isArray(b) ? a.length === b.length && a.every((x, i) => x === b[i]) : a === b
}
