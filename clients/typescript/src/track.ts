/** Where something was at a wall tick, in millimetres. */
export interface Seen {
  tick: number
  x: number
  y: number
}

/**
 * Where something is shown at a tick, given where it was seen, in order: on the
 * straight line between the places before and after; at the first or last place
 * before and after all of them. It reckons nothing beyond what was seen, so show a
 * tick or two behind the service's present one.
 */
export function between(seen: readonly Seen[], tick: number): [number, number] {
  const i = seen.findIndex((s) => s.tick >= tick)
  const s = seen[i < 0 ? seen.length - 1 : i]
  const p = seen[i - 1]
  if (!s) return [0, 0]
  if (i <= 0 || !p) return [s.x, s.y]
  const part = (tick - p.tick) / (s.tick - p.tick)
  return [p.x + part * (s.x - p.x), p.y + part * (s.y - p.y)]
}

const MOST = 12

/**
 * Adds a place to those that were seen. A gap of more than a second means that it
 * stood still until shortly before; rate is ticks a second.
 */
export function follow(seen: readonly Seen[], s: Seen, rate: number): Seen[] {
  const last = seen[seen.length - 1]
  if (!last) return [s]
  if (last.tick === s.tick) return [...seen.slice(0, -1), s]
  const stood = s.tick - last.tick > rate ? [{ tick: s.tick - 1, x: last.x, y: last.y }] : []
  return [...seen, ...stood, s].slice(-MOST)
}
