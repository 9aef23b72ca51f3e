// What the parts compute from a copy, beside the components that draw it.
import { clockTicks, formatClock, plain, type Copy, type FieldInfo, type Sheet, type Value } from 'turnvex-client'
import { plainName } from '../app/words.ts'

/** Built-in fields as people read them, where their names alone do not say it. */
const titles: Record<string, string> = {
  pos: 'Position',
  account: 'Account',
  stand_in: 'Stand-in',
  rounds: 'Rounds won',
  ping: 'Round trip',
  kits: 'Kits',
  aim: 'Facing',
  unkept: 'Not kept since',
  watch_most: 'Spectators allowed',
  play: 'Played',
  after: 'Then',
}

export const label = (f: FieldInfo) => f.title || titles[f.name] || plainName(f.name)

/** The least and greatest value of a field here; undefined where it has none. */
export function bounds(f: FieldInfo, sheet?: Sheet): [number, number] | undefined {
  const by = f.max_by ? sheet?.raw(f.max_by) : undefined
  const max = typeof by === 'number' ? by : f.max
  if (f.min === undefined || max === undefined || max <= f.min) return undefined
  return [f.min, max]
}

/** Whether a field is shown as a bar: its rulebook says so, or it is a share of something and not a mere count. */
export function isBar(f: FieldInfo): boolean {
  if (!f.own || (f.type !== 'integer' && f.type !== 'number')) return false
  if (f.show) return f.show === 'bar'
  if (f.max_by) return true
  const unit = f.type === 'number' ? 1000 : 1
  return f.min === 0 && f.max !== undefined && f.max > unit && f.max <= 200 * unit && !counts.test(f.name)
}

/** Names of what is counted, which no bar stands for. */
const counts = /(points|score|kills|wins|goals|laps|coins|money|count|number|rounds|streak|deaths|outs|tries|hits)$/

/** A field's share of its greatest value, in percent. */
export function share(f: FieldInfo, v: Value | undefined, sheet?: Sheet): number | undefined {
  const b = bounds(f, sheet)
  if (typeof v !== 'number' || !b) return undefined
  return (Math.max(Math.min(v, b[1]) - b[0], 0) / (b[1] - b[0])) * 100
}

/** A field's value as a person reads it. */
export function shown(copy: Copy, f: FieldInfo, v: Value | undefined, tick?: number): string {
  if (v === undefined) return ''
  if (f.type === 'flag') return v ? 'yes' : 'no'
  if (f.type === 'ref') return nameOf(copy, v as number)
  if (f.name === 'ping') return `${String(v)} ms`
  if (f.name === 'kits' && typeof v === 'number')
    return (copy.book.kits ?? [])
      .filter((_, n) => v & (1 << n))
      .map((k) => k.name)
      .join(', ')
  if (f.type === 'list' && Array.isArray(v)) {
    const item = (x: string | number) => (f.item === 'ref' ? nameOf(copy, x as number) : String(x))
    return (plain(f, v) as (string | number)[]).map(item).join(', ') || 'empty'
  }
  if (Array.isArray(v)) return several(copy, f, v as number[], tick)
  const value = plain(f, v)
  if (f.show === 'time' && typeof value === 'number') return formatClock(value)
  return typeof value === 'number' ? (Math.round(value * 100) / 100).toLocaleString('en') : String(value)
}

/** A position, or a clock: as it is sent, or what it shows at a tick. */
function several(copy: Copy, f: FieldInfo, v: number[], tick?: number): string {
  if (f.type.startsWith('position')) return `${v.map((n) => (n / 1000).toFixed(1)).join(', ')} m`
  if (tick === undefined)
    return formatClock(((v[0] ?? 0) * 1000) / copy.rate) + (v[1] ? ` ${v[1] > 0 ? '↑' : '↓'} from tick ${v[2]}` : '')
  let now = tick
  if (!f.wall) {
    const play = copy.match?.raw('play')
    now = Array.isArray(play) ? clockTicks(play as number[], tick) : 0
  }
  return shortClock((clockTicks(v, now) * 1000) / copy.rate)
}

/** A clock without the digits that nobody needs: 1:05, 9.4, 0.0. */
export function shortClock(ms: number): string {
  const s = Math.max(ms, 0) / 1000
  if (s < 60) return s.toFixed(1)
  const whole = Math.floor(s)
  const [h, m, rest] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, String(whole % 60).padStart(2, '0')]
  return h ? `${h}:${String(m).padStart(2, '0')}:${rest}` : `${m}:${rest}`
}

export function nameOf(copy: Copy, id: number): string {
  const s = copy.sheets.get(id)
  if (!s) return 'nobody'
  if (s.kind === 'creature') return copy.book.creatures?.find((k) => k.name === s.text('kind'))?.title ?? s.text('kind')
  if (s.kind === 'piece') return copy.book.pieces?.find((k) => k.name === s.text('kind'))?.title ?? s.text('kind')
  if (s.kind === 'zone') return copy.book.zones?.find((k) => k.name === s.text('kind'))?.title ?? s.text('kind')
  return s.text('title') || s.text('name') || `#${id}`
}

/** The shapes of teams, so that colour is never alone: by the team's number; 0 is nobody's. */
export const shapes = ['●', '▲', '■', '◆', '★', '✚', '⬟', '⬢', '▼'] as const

/** The number of a sheet's team in the order of the rulebook, from 1; 0 without one. */
export function teamNo(copy: Copy, id: number): number {
  return copy.of('team').findIndex((t) => t.id === id) + 1
}

/** The declared fields of a sheet that its everyday views show. */
export const declared = (s: Sheet) => s.fields().filter((f) => f.own && f.show !== 'aside')

export function phaseTitle(copy: Copy): string {
  const name = copy.match?.text('phase')
  const title = copy.book.phases.find((p) => p.name === name)?.title ?? name ?? ''
  return title === name ? plainName(title) : title
}

/** The order of the scoreboard: by place, then by the number that grows, then by name. */
export function standing(copy: Copy, score?: FieldInfo): Sheet[] {
  const place = (s: Sheet) => s.num('place') || 999
  return [...copy.of('player')].sort(
    (a, b) =>
      place(a) - place(b) ||
      (score ? Number(b.get(score.name) ?? 0) - Number(a.get(score.name) ?? 0) : 0) ||
      a.id - b.id,
  )
}

/** The field by which players are compared while a match runs: the first number that is no bar. */
export const scoreField = (copy: Copy) =>
  copy.schema
    .fields('player')
    .find((f) => f.own && f.show !== 'aside' && !f.see && (f.type === 'integer' || f.type === 'number') && !isBar(f))
