import { point, type Drive, type Gait, type Ground, type Moving, type Point } from './ground.ts'
import type { Place } from './track.ts'

/** What a body moves in, as clients are told of it. All times are in wall ticks. */
export interface World {
  ground: Ground
  gait: Gait
  /** But for how it steers; pushed is until pushed alone. */
  drive: Drive
  pushed: number
  /** It may move at all: it is alive, and play runs. */
  moves: boolean
  /** The service takes its steering. */
  steers: boolean
}

/** What the service has said of a body. */
export interface Told {
  /** To which the copy has come. */
  tick: number
  /** The tick at which the body was where it is said to be. */
  at: number
  body: Moving
  /** Which holds at tick. */
  steer: Point
}

interface Asked {
  n: number
  tick: number
  steer: Point
  answered: boolean
}

/** How many times in a second what was drawn elsewhere comes down to a third. */
const FADING = 10
/** How far off somebody is who is drawn wrongly, in millimetres. */
const WRONG = 100

/**
 * One's own body, drawn before the service has answered: it takes the steps that the
 * service is about to take, from where it was said to be last, and makes good without
 * a jump what turns out otherwise.
 */
export class Body {
  /** How often it turned out to be over 0.1 m from where it was thought to be, but not put there. */
  wrong = 0
  private world?: World
  private told!: Told
  private asks: Asked[] = []
  private fresh = false
  private first = 0
  private path: Moving[] = []
  private drawn = 0
  private off: Place = [0, 0, 0]

  /** Notes a wish to steer that has been sent, with the tick that it names. */
  asked(n: number, tick: number, steer: Point) {
    this.asks.push({ n, tick, steer, answered: false })
    this.fresh = true
  }

  /** Notes when a wish was taken, or that it never is. */
  answered(n: number, ok: boolean, tick: number) {
    const a = this.asks.find((a) => a.n === n && !a.answered)
    if (!a) return
    this.fresh ||= !ok || a.tick !== tick
    if (ok) Object.assign(a, { tick, answered: true })
    else this.asks = this.asks.filter((b) => b !== a)
  }

  /** Drops what was asked for, as when the lobby goes on from before. */
  forget() {
    this.asks = []
    this.fresh = true
  }

  /** Takes what the service has said. */
  tell(world: World, told: Told) {
    this.world = world
    this.told = told
    this.fresh = true
    this.asks = this.asks.filter((a) => !a.answered || a.tick > told.at - 2 * world.gait.rate)
  }

  /**
   * Where to draw the body at a tick; each call is of a later one. Where things turn
   * out otherwise than was drawn, that is made good within a fraction of a second.
   */
  place(tick: number): Place | undefined {
    const { world } = this
    if (!world) return undefined
    if (this.fresh) {
      const was = this.drawn > 0 ? this.at(this.drawn) : undefined
      this.from()
      this.fresh = false
      if (was) this.amend(was, this.at(this.drawn))
    }
    const p = this.at(tick)
    this.fade(Math.max(tick - this.drawn, 0) / world.gait.rate, world.drive.speed)
    this.drawn = tick
    return p.map((n, i) => n + this.off[i]!) as Place
  }

  /** Makes less of what was drawn elsewhere, for so many seconds; it adds no more to the speed than that, or 3 m/s. */
  private fade(seconds: number, speed: number) {
    const far = Math.hypot(...this.off)
    const most = Math.max(speed, 3000) * seconds
    let keeps = Math.exp(-seconds * FADING)
    if (far * (1 - keeps) > most) keeps = 1 - most / far
    this.off = this.off.map((o) => o * keeps) as Place
  }

  /** How the body steers in a tick: as the service said, or where it has yet to say, as was asked for. */
  private steer(tick: number): Point {
    let { steer } = this.told
    for (const a of this.asks) {
      const known = a.answered ? tick <= this.told.tick && a.tick < tick : false
      if (known || (!a.answered && this.world!.steers && Math.max(a.tick, this.told.tick) < tick)) steer = a.steer
    }
    return steer
  }

  /** Begins the path where the body was said to be; on the path as it was thought to be, the rest is known too. */
  private from() {
    const { body, at } = this.told
    const was = this.path[at - this.first]
    let now: Moving = { ...body, rest: point() }
    if (was) {
      const [a, b] = [was.at, now.at]
      const far = Math.max(Math.abs(a.x - b.x), Math.abs(a.y - b.y))
      if (far > WRONG && far <= this.putBy) this.wrong++
      if (a.x === b.x && a.y === b.y && a.z === b.z && was.rise === now.rise && was.stands === now.stands)
        now = { ...now, rest: was.rest }
    }
    this.first = at
    this.path = [now]
  }

  /** Where the path leads at a tick, no further than a second from what was told. */
  private at(tick: number): Place {
    const { first, path } = this
    const part = Math.min(Math.max(tick, first), first + this.world!.gait.rate) - first
    const whole = Math.floor(part)
    while (path.length <= whole + 1) path.push(this.next(path[path.length - 1]!, first + path.length))
    const [a, b] = [path[whole]!.at, path[whole + 1]!.at]
    const f = part - whole
    return [a.x + f * (b.x - a.x), a.y + f * (b.y - a.y), a.z + f * (b.z - a.z)]
  }

  private next(m: Moving, tick: number): Moving {
    const { ground, gait, drive, pushed, moves } = this.world!
    if (!moves) return m
    return ground.tick(m, gait, { ...drive, steer: this.steer(tick), push: tick > pushed ? point() : drive.push })
  }

  /** Keeps what is drawn where it was, though the path leads elsewhere now. */
  private amend(was: Place, now: Place) {
    const off = this.off.map((o, i) => o + was[i]! - now[i]!) as Place
    this.off = Math.hypot(...off) > this.putBy ? [0, 0, 0] : off
  }

  /** How far beside its path a body must be to have been put there: the way of half a second, and a metre. */
  private get putBy(): number {
    return Math.floor(this.world!.drive.speed / 2) + 1000
  }
}

/** Chooses the tick of which one's own body is drawn. */
export class Lead {
  private chosen = 0
  private last = 0

  /** That tick when the service is at now and what is sent takes up ticks to get there; rate is ticks a second. */
  at(now: number, up: number, rate: number): number {
    const passed = Math.max(now - this.last, 0)
    const off = now + up - (this.chosen + passed)
    if (this.last === 0 || Math.abs(off) > rate) this.chosen = now + up
    else this.chosen += passed * (1 + hold(off / 10))
    this.last = now
    return this.chosen
  }
}

const hold = (n: number) => Math.min(Math.max(n, -0.2), 0.2)
