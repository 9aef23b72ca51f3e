/** A place or a way: east, south and up, in whole millimetres. Of a body it is the middle of its feet. */
export interface Point {
  x: number
  y: number
  z: number
}

/** A box, or a circle where it has a radius. On tall ground it goes from low to high, and rises makes it a ramp. */
export interface Wall {
  left: number
  north: number
  right: number
  south: number
  x: number
  y: number
  radius: number
  low: number
  high: number
  rises?: string
}

/** How bodies of one build move. Lengths are in millimetres, slope in 1/65,536 of a turn. */
export interface Gait {
  radius: number
  tall: number
  step: number
  slope: number
  flies: boolean
  /** Ticks a second. */
  rate: number
}

/** What moves a body in a tick; speeds are in millimetres a second. */
export interface Drive {
  /** Thousandths of the speed; up is the wish to jump, of who does not fly. */
  steer: Point
  push: Point
  speed: number
  jump: number
  gravity: number
}

/** A body on its way: what one tick takes over from the one before. */
export interface Moving {
  at: Point
  /** What it has yet to go, less than a millimetre. */
  rest: Point
  rise: number
  stands: boolean
}

const FULL = 1000
const FASTEST = 100_000

export const point = (x = 0, y = 0, z = 0): Point => ({ x, y, z })
export const nowhere: Wall = { left: 0, north: 0, right: 0, south: 0, x: 0, y: 0, radius: 0, low: 0, high: 0 }

/** a/b, rounded towards 0. */
const shares = (a: number, b: number) => (a - (a % b)) / b
/** a/b, rounded up, of what is not below 0. */
const over = (a: number, b: number) => Math.floor((a + b - 1) / b)
/** The square root, rounded down. */
function root(n: number): number {
  let r = Math.floor(Math.sqrt(n))
  while (r * r > n) r--
  while ((r + 1) * (r + 1) <= n) r++
  return r
}
function rootUp(n: number): number {
  const r = root(n)
  return r * r < n ? r + 1 : r
}
const hold = (n: number, least: number, most: number) => Math.min(Math.max(n, least), most)

/** The sine of 0 to a quarter of a turn, in millionths: straight between each 1/1024 of a turn, rounded. */
export function sine(r: number): number {
  const at = (i: number) => Math.round(Math.sin((i * Math.PI) / 512) * 1e6)
  const i = r >> 6
  return at(i) + (((at(i + 1) - at(i)) * (r & 63) + 32) >> 6)
}

/** A steering direction as it is taken: no faster along the diagonal, and of who does not fly level. */
export function steering(p: Point, flies: boolean): Point {
  let { x, y, z } = { ...p, z: flies ? p.z : 0 }
  const square = x * x + y * y + z * z
  if (square > FULL * FULL) {
    const r = root(square)
    x = shares(x * FULL, r)
    y = shares(y * FULL, r)
    z = shares(z * FULL, r)
  }
  return { x, y, z: flies ? z : hold(p.z, 0, FULL) }
}

/** Where a way from a to b stops at the open interval between lo and hi, if it has to be entered. */
function stop(a: number, b: number, [lo, hi]: [number, number]): number {
  if (lo < hi && a <= lo && b > lo) return lo
  return lo < hi && a >= hi && b < hi ? hi : b
}

/** Where a coordinate that moves by d ends within the ground. */
function held(a: number, d: number, r: number, side: number): number {
  if (d === 0) return a
  return side < 2 * r ? Math.floor(side / 2) : hold(a + d, r, side - r)
}

/** A wall with its axes exchanged. */
const turn = (w: Wall): Wall => ({
  ...w,
  left: w.north,
  north: w.left,
  right: w.south,
  south: w.right,
  x: w.y,
  y: w.x,
  rises: w.rises && { east: 'south', south: 'east', west: 'north', north: 'west' }[w.rises],
})

/** The open interval of x in which a body of radius r overlaps a wall when it is at y; empty where none is. */
function span(w: Wall, y: number, r: number): [number, number] {
  const round = w.radius > 0
  const dy = round ? y - w.y : Math.max(w.north - y, 0, y - w.south)
  if (!round && dy === 0) return r === 0 && (y === w.north || y === w.south) ? [0, 0] : [w.left - r, w.right + r]
  const d = round ? w.radius + r : r
  const left = d * d - dy * dy
  if (left <= 0) return [0, 0]
  const k = rootUp(left)
  return round ? [w.x - k, w.x + k] : [w.left - k, w.right + k]
}

const run = (w: Wall) => (w.rises === 'east' || w.rises === 'west' ? w.right - w.left : w.south - w.north)

/** How high a wall is above a point that it is over, rounded up. */
function top(w: Wall, x: number, y: number): number {
  if (!w.rises) return w.high
  const along = { east: x - w.left, west: w.right - x, south: y - w.north, north: w.south - y }[w.rises] ?? 0
  return w.low + over((w.high - w.low) * along, run(w))
}
const topWithin = (w: Wall, x: number, y: number) => top(w, hold(x, w.left, w.right), hold(y, w.north, w.south))

function isOver(w: Wall, x: number, y: number): boolean {
  if (w.radius > 0) return (x - w.x) ** 2 + (y - w.y) ** 2 <= w.radius * w.radius
  return x >= w.left && x <= w.right && y >= w.north && y <= w.south
}

function touches(w: Wall, x: number, y: number, r: number): boolean {
  if (w.radius > 0) return (x - w.x) ** 2 + (y - w.y) ** 2 < (w.radius + r) ** 2
  const dx = Math.max(w.left - x, 0, x - w.right)
  const dy = Math.max(w.north - y, 0, y - w.south)
  if (dx === 0 && dy === 0) return r > 0 || (x > w.left && x < w.right && y > w.north && y < w.south)
  return dx * dx + dy * dy < r * r
}

/** Whether a wall is above or below a body: a ramp holds its middle, other walls all of it. */
const holds = (w: Wall, x: number, y: number, r: number) =>
  w.rises ? isOver(w, x, y) && top(w, x, y) > w.low : touches(w, x, y, r)

const climbs = (g: Gait, w: Wall) => (w.high - w.low) * sine(16_384 - g.slope) <= run(w) * sine(g.slope)

/** A playing area. All that moves in it moves as the service has it, to the millimetre. */
export class Ground {
  constructor(
    readonly width: number,
    readonly height: number,
    readonly tall = 0,
    readonly open = false,
    readonly walls: readonly Wall[] = [],
  ) {}

  /** Takes a body one tick further. */
  tick(m: Moving, g: Gait, d: Drive): Moving {
    const by = FULL * g.rate
    const whole = (steer: number, push: number, rest: number) => steer * d.speed + push * FULL + rest
    const x = whole(d.steer.x, d.push.x, m.rest.x)
    const y = whole(d.steer.y, d.push.y, m.rest.y)
    const dx = shares(x, by)
    const dy = shares(y, by)
    const next = { ...m, rest: { x: x - dx * by, y: y - dy * by, z: m.rest.z } }
    if (this.tall === 0) next.at = this.move(m.at, dx, dy, g.radius)
    else if (!g.flies) this.walks(next, g, d, dx, dy)
    else {
      const z = whole(d.steer.z, d.push.z, m.rest.z)
      const dz = shares(z, by)
      next.rest.z = z - dz * by
      next.at = this.fly(m.at, point(dx, dy, dz), g)
    }
    return next
  }

  private move(p: Point, dx: number, dy: number, r: number): Point {
    let x = held(p.x, dx, r, this.width)
    let y = held(p.y, dy, r, this.height)
    for (const w of this.walls) x = stop(p.x, x, span(w, p.y, r))
    for (const w of this.walls) y = stop(p.y, y, span(turn(w), x, r))
    return { ...p, x, y }
  }

  private fly(p: Point, d: Point, g: Gait): Point {
    const body = { ...g, step: 0, slope: 0 }
    p = this.along(p, held(p.x, d.x, g.radius, this.width), body, false)
    p = this.along(p, held(p.y, d.y, g.radius, this.height), body, true)
    let z = p.z
    if (d.z > 0) z = Math.min(z + d.z, Math.max(this.ceiling(p, g.radius) - g.tall, z))
    else if (d.z < 0) z = Math.max(z + d.z, Math.min(this.under(p, g.radius), z))
    return { ...p, z }
  }

  private walks(m: Moving, g: Gait, d: Drive, dx: number, dy: number) {
    if (m.stands && d.steer.z > 0 && d.jump > 0) {
      m.stands = false
      m.rise = d.jump
    }
    const [at, stands] = this.walk(m.at, dx, dy, g, m.stands)
    m.at = at
    m.stands = stands
    if (stands) m.rise = 0
    else this.falls(m, g, d.gravity)
  }

  private falls(m: Moving, g: Gait, gravity: number) {
    const rise = Math.max(m.rise - shares(gravity, g.rate), -FASTEST)
    const by = rise + m.rest.z
    const dz = shares(by, g.rate)
    const [at, stopped] = this.fall(m.at, dz, g)
    m.at = at
    m.rise = stopped ? 0 : rise
    m.rest.z = stopped ? 0 : by - dz * g.rate
    m.stands = stopped && by <= 0 && at.z > -this.tall
  }

  /** Takes a walker on, up steps and ramps and, where it stands, down them, and tells whether it stands then. */
  private walk(p: Point, dx: number, dy: number, g: Gait, stands: boolean): [Point, boolean] {
    let q = this.along(p, held(p.x, dx, g.radius, this.width), g, false)
    q = this.along(q, held(p.y, dy, g.radius, this.height), g, true)
    let floor = this.floor(q.x, q.y, q.z + g.step)
    const up = Math.max(floor ?? 0, q.z)
    if (up > p.z && (floor !== undefined || q.z > p.z) && this.ceiling({ ...q, z: up }, g.radius) < up + g.tall) {
      q = p
      floor = this.floor(q.x, q.y, q.z + g.step)
    }
    if (stands && floor !== undefined && floor >= q.z - g.step - this.descent(p, q)) return [{ ...q, z: floor }, true]
    return [q, false]
  }

  private fall(p: Point, dz: number, g: Gait): [Point, boolean] {
    const floor = this.floor(p.x, p.y, p.z + g.step)
    if (dz > 0) {
      let z = Math.min(p.z + dz, Math.max(this.ceiling(p, g.radius) - g.tall, p.z))
      if (floor !== undefined) z = Math.max(z, floor)
      return [{ ...p, z }, z < p.z + dz]
    }
    let z = Math.max(p.z + dz, -this.tall)
    if (floor !== undefined && z <= floor) z = floor
    return [{ ...p, z }, z === floor || z === -this.tall]
  }

  /** The highest place to stand at above a point, none higher than z. */
  private floor(x: number, y: number, z: number): number | undefined {
    let height = !this.open && z >= 0 ? 0 : undefined
    for (const w of this.walls) {
      if (w.low > z || !isOver(w, x, y)) continue
      const t = top(w, x, y)
      if (t <= z && (height === undefined || t > height)) height = t
    }
    return height
  }

  /** How high above 0 the head of a body may come. */
  private ceiling(p: Point, r: number): number {
    let low = this.tall
    for (const w of this.walls) if (w.low > p.z && w.low < low && holds(w, p.x, p.y, r)) low = w.low
    return low
  }

  /** The highest place that holds a body from below. */
  private under(p: Point, r: number): number {
    let high = this.open ? -this.tall : 0
    for (const w of this.walls) {
      if (w.low >= p.z || !holds(w, p.x, p.y, r)) continue
      const t = top(w, p.x, p.y)
      if (t <= p.z) high = Math.max(high, t)
    }
    return high
  }

  /** By how much more than a step a walker may come down at once on ramps. */
  private descent(p: Point, q: Point): number {
    let most = 0
    for (const w of this.walls)
      if (w.rises && isOver(w, q.x, q.y))
        most = Math.max(most, over((w.high - w.low) * (Math.abs(q.x - p.x) + Math.abs(q.y - p.y)), run(w)))
    return most
  }

  /** By how much a ramp on which a walker stands rises within its radius. */
  private gradient(p: Point, g: Gait): number {
    let most = 0
    for (const w of this.walls)
      if (w.rises && isOver(w, p.x, p.y) && top(w, p.x, p.y) === p.z && climbs(g, w))
        most = Math.max(most, over((w.high - w.low) * g.radius, run(w)))
    return most
  }

  /** Takes a walker along one axis as far as walls let it, and up the ramps on which it ends. */
  private along(p: Point, to: number, g: Gait, turned: boolean): Point {
    const [from, side] = turned ? [p.y, p.x] : [p.x, p.y]
    const step = g.step + this.gradient(p, g)
    for (const wall of this.walls) {
      if (wall.low >= p.z + g.tall || wall.high <= p.z) continue
      const w = turned ? turn(wall) : wall
      if (w.rises) to = slopes(w, from, to, side, p.z, g)
      else if (w.high > p.z + step) {
        let between = span(w, side, g.radius)
        // It overlaps the wall, and may go on as long as its middle does not.
        if (from > between[0] && from < between[1]) between = span(w, side, 0)
        to = stop(from, to, between)
      }
    }
    const q = turned ? { ...p, y: to } : { ...p, x: to }
    for (const w of this.walls)
      if (w.rises && w.low < q.z + g.tall && isOver(w, q.x, q.y) && climbs(g, w)) q.z = Math.max(q.z, top(w, q.x, q.y))
    return q
  }
}

/** How far towards x the middle of a walker at height z comes before a ramp stops it. */
function slopes(w: Wall, from: number, to: number, y: number, z: number, g: Gait): number {
  if (y < w.north || y > w.south || Math.max(from, to) < w.left || Math.min(from, to) > w.right) return to
  const enter = hold(from, w.left, w.right)
  const high = topWithin(w, enter, y)
  if (enter !== from && high > z + g.step) return enter === w.left ? w.left - 1 : w.right + 1
  if (high > z + g.step && high === w.low && topWithin(w, to, y) > high) return from // under its low edge
  if (high > z + g.step || climbs(g, w)) return to // it is in the ramp and may leave it, or climbs it
  if (!((w.rises === 'east' && to > from) || (w.rises === 'west' && to < from))) return to
  const far = shares((Math.max(z, high) - w.low) * run(w), w.high - w.low)
  if (far >= run(w)) return to
  return w.rises === 'east' ? Math.min(to, Math.max(w.left + far, enter)) : Math.max(to, Math.min(w.right - far, enter))
}
