// What the parts compute from a copy, beside the components that draw it.
import { clockTicks, formatClock, plain, type Copy, type FieldInfo, type Sheet, type Value } from 'turnvex-client'

export const label = (f: FieldInfo) => f.title || f.name.replaceAll('_', ' ')

/** A field's share of its greatest value, for a bar; undefined for a mere count. */
export function share(f: FieldInfo, v: Value | undefined, sheet?: Sheet): number | undefined {
  const unit = f.type === 'number' ? 1000 : 1
  const by = f.max_by ? sheet?.raw(f.max_by) : undefined
  const max = typeof by === 'number' ? by : f.max
  if (!f.own || typeof v !== 'number' || f.min === undefined || max === undefined || max <= f.min || max > 200 * unit)
    return undefined
  return (Math.min(v - f.min, max - f.min) / (max - f.min)) * 100
}

/** A field's value as a person reads it. */
export function shown(copy: Copy, f: FieldInfo, v: Value | undefined, tick?: number): string {
  if (v === undefined) return ''
  if (f.type === 'flag') return v ? 'yes' : 'no'
  if (f.type === 'ref') return nameOf(copy, v as number)
  if (f.type === 'list' && Array.isArray(v)) {
    const item = (x: string | number) => (f.item === 'ref' ? nameOf(copy, x as number) : String(x))
    return `[${(plain(f, v) as (string | number)[]).map(item).join(', ')}]`
  }
  if (Array.isArray(v)) return several(copy, f, v as number[], tick)
  return String(plain(f, v))
}

/** A position, or a clock: as it is sent, or what it shows at a tick. */
function several(copy: Copy, f: FieldInfo, v: number[], tick?: number): string {
  if (f.type === 'position') return `${((v[0] ?? 0) / 1000).toFixed(2)}, ${((v[1] ?? 0) / 1000).toFixed(2)} m`
  if (tick === undefined)
    return formatClock(((v[0] ?? 0) * 1000) / copy.rate) + (v[1] ? ` ${v[1] > 0 ? '↑' : '↓'} from tick ${v[2]}` : '')
  let now = tick
  if (!f.wall) {
    const play = copy.match?.raw('play')
    now = Array.isArray(play) ? clockTicks(play as number[], tick) : 0
  }
  return formatClock((clockTicks(v, now) * 1000) / copy.rate)
}

export function nameOf(copy: Copy, id: number): string {
  const s = copy.sheets.get(id)
  return s ? s.text('title') || s.text('name') || `#${id}` : 'nobody'
}

/** The number of a sheet's team in the order of the rulebook, from 1; 0 without one. */
export function teamNo(copy: Copy, id: number): number {
  return copy.of('team').findIndex((t) => t.id === id) + 1
}

/** The declared fields of a sheet that are to be seen. */
export const declared = (s: Sheet) => s.fields().filter((f) => f.own)

export function phaseTitle(copy: Copy): string {
  const name = copy.match?.text('phase')
  return copy.book.phases.find((p) => p.name === name)?.title ?? name ?? ''
}
