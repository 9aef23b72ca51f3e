/** Where something was at a wall tick, in millimetres; z is how high above 0 on tall ground. */
export interface Seen {
  tick: number
  x: number
  y: number
  z?: number
  /** It was put there: there is no way from the place before. */
  put?: boolean
  /** Nobody was told: it had not moved until then. */
  stood?: boolean
}

/** Where something is drawn: x, y and how high above 0, in millimetres. */
export type Place = [x: number, y: number, z: number]

const placeOf = (s: Seen): Place => [s.x, s.y, s.z ?? 0]

/**
 * Where something was at a tick, given where it was seen, in order: on the straight
 * line between the places before and after, unless it was put at the one after; at
 * the first or the last place before and after all of them.
 */
export function between(seen: readonly Seen[], tick: number): Place {
  const i = seen.findIndex((s) => s.tick >= tick)
  const s = seen[i < 0 ? seen.length - 1 : i]
  const p = seen[i - 1]
  if (!s) return [0, 0, 0]
  if (i <= 0 || !p || s.tick === tick) return placeOf(s)
  const [x, y, z] = placeOf(p)
  if (s.put) return [x, y, z]
  const part = (tick - p.tick) / (s.tick - p.tick)
  return [x + part * (s.x - x), y + part * (s.y - y), z + part * ((s.z ?? 0) - z)]
}

/** How many places are kept. */
const MOST = 64
/** How much farther than by itself something may get in a tick, when it is pushed. */
const FARTHER = 1000

/** Where one thing was seen, and how far behind all else it is drawn since it is told more rarely. */
export class Track {
  seen: Seen[] = []
  /** Ticks from one place to the next, while it moves. */
  private every = 1
  /** Ticks that it is drawn behind the others. */
  private extra = 0
  private drawn = 0
  private frame = 0

  /**
   * Takes the next place; rate is ticks a second. Who is not told of a change stood
   * still: after a gap that is longer than the ones before, it is taken to have stood
   * until as long before as they were. speed is the greatest that it can have, in
   * millimetres a tick, 0 where that is not known: who is farther away than that was
   * put there.
   */
  add(s: Seen, rate: number, speed = 0) {
    const { seen } = this
    const last = seen[seen.length - 1]
    if (!last || s.tick < last.tick) {
      this.seen = [s] // the first, or the lobby has gone on from before
      this.every = 1
      return
    }
    if (last.tick === s.tick) {
      seen[seen.length - 1] = last.put ? { ...s, put: true } : s
      return
    }
    let gap = s.tick - last.tick
    const told = seen.findLast((p) => p !== last && !p.stood)
    const before = told ? Math.min(last.tick - told.tick, rate) : this.every
    if (gap > before + 1) {
      gap = Math.min(this.every, gap - 1)
      seen.push({ tick: s.tick - gap, x: last.x, y: last.y, z: last.z, stood: true })
    } else this.every = gap
    const way = Math.hypot(s.x - last.x, s.y - last.y, (s.z ?? 0) - (last.z ?? 0))
    seen.push(speed > 0 && way > 3 * speed * gap + FARTHER ? { ...s, put: true } : s)
    if (seen.length > MOST) seen.splice(0, seen.length - MOST / 2)
  }

  /** Where it is drawn in a frame of a tick, as Screen gives it. Frames come in order. */
  at(frame: number): Place {
    const behind = this.every - 1
    if (behind >= this.extra) this.extra = behind
    else if (frame > this.frame) this.extra = Math.max(behind, this.extra - (frame - this.frame) / 10)
    let tick = frame - this.extra
    if (frame >= this.frame) tick = Math.max(tick, this.drawn)
    this.drawn = tick
    this.frame = frame
    return between(this.seen, tick)
  }
}
