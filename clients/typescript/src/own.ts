import { Body, Lead, type Told, type World } from './ahead.ts'
import { clockTicks } from './clock.ts'
import type { Copy, Sheet } from './copy.ts'
import { Ground, nowhere, point, steering, type Point, type Wall } from './ground.ts'
import type { Place } from './track.ts'
import type { GroundInfo, Value } from './wire.ts'

/** Draws one's own players before the service has answered: the option ahead of a connection. */
export const ahead = (): Own => new Own()

/** For how long after a frame somebody is taken to look at what is drawn, in milliseconds. */
const LOOKS = 250

/** The bodies of a connection's players, as they are drawn. */
export class Own {
  /** The wall tick of which they are drawn. */
  tick = 0
  private readonly bodies = new Map<number, Body>()
  private readonly lead = new Lead()
  private told = -1
  private drawnAt = -LOOKS
  private ground?: Ground
  private of?: GroundInfo
  private gates = ''

  /** A frame of the copy, at a time in milliseconds, when the service is at tick and what is sent takes up ticks. */
  frame(copy: Copy | undefined, seats: number[], time: number, tick: number, up: number) {
    if (!copy) return
    this.tick = this.lead.at(tick, up, copy.rate)
    const first = this.drawnAt < 0
    this.drawnAt = time
    if (this.told === copy.tick && !first) return
    this.told = copy.tick
    for (const seat of this.bodies.keys()) if (!seats.includes(seat)) this.bodies.delete(seat)
    for (const seat of seats) {
      const me = copy.sheet(seat)
      const world = me && this.world(copy, me)
      if (!world) this.bodies.delete(seat)
      else {
        if (!this.bodies.has(seat)) this.bodies.set(seat, new Body())
        this.bodies.get(seat)!.tell(world, toldOf(copy, me))
      }
    }
  }

  /** Where to draw a player in the frame; undefined for who is none of these. */
  place(sheet: Sheet): Place | undefined {
    return this.bodies.get(sheet.id)?.place(this.tick)
  }

  /** How often a player turned out to be over 0.1 m from where they were drawn. */
  wrong(seat: number): number {
    return this.bodies.get(seat)?.wrong ?? 0
  }

  /** The tick that a wish to steer is to name, as for frame; none where nobody looks. */
  asked(copy: Copy, seat: number, n: number, at: number[], time: number, tick: number, up: number): number | undefined {
    const body = this.bodies.get(seat)
    if (!body || time - this.drawnAt > LOOKS) return undefined
    const named = Math.floor(this.lead.at(tick, up, copy.rate))
    body.asked(n, named, steering(point(...at), copy.book.walk?.flies ?? false))
    return named
  }

  answered(seat: number, n: number, ok: boolean, tick: number) {
    this.bodies.get(seat)?.answered(n, ok, tick)
  }

  /** The lobby goes on from before. */
  forget() {
    for (const body of this.bodies.values()) body.forget()
  }

  /** What a player's body moves in; undefined where clients are not told enough. */
  private world(copy: Copy, me: Sheet): World | undefined {
    const { book, match, ground, rate, tick } = copy
    if (!match || !ground || !book.moves || !(book.speed || book.speed_in)) return undefined
    const now = (fixed = 0, field?: string) => (field ? Number(me.raw(field) ?? 0) : fixed)
    const { walk } = book
    const left = numbers(me.raw('push_left'))
    const passed = clockTicks(numbers(match.raw('play')), tick)
    const moves = me.flag('alive') && !match.flag('over') && !match.raw('paused') && !frozen(copy)
    return {
      ground: this.groundOf(ground, match),
      gait: {
        radius: book.radius ?? 0,
        tall: walk?.tall ?? 0,
        step: walk?.step ?? 0,
        slope: walk?.slope ?? 0,
        flies: walk?.flies ?? false,
        rate,
      },
      drive: {
        steer: point(),
        push: placed(me, 'push'),
        speed: now(book.speed, book.speed_in),
        jump: now(walk?.jump, walk?.jump_in),
        gravity: now(walk?.gravity, walk?.gravity_in),
      },
      pushed: left[1]! < 0 ? tick + left[2]! + left[0]! - passed : 0,
      moves,
      steers: moves && me.flag('playing') && !me.flag('benched') && copy.clock(me, 'frozen', tick) === 0,
    }
  }

  /** The ground with the gates that are there. */
  private groundOf(g: GroundInfo, match: Sheet): Ground {
    const gates = [...(g.gates ?? []), ...(g.walls ?? [])]
      .map((w) => (w.while === undefined || match.flag(w.while) ? '1' : '0'))
      .join('')
    if (this.ground && this.of === g && this.gates === gates) return this.ground
    this.of = g
    this.gates = gates
    this.ground = groundOf(g, (flag) => match.flag(flag))
    return this.ground
  }
}

/** A ground with the gates whose flag is set. */
export function groundOf(g: GroundInfo, is: (flag: string) => boolean): Ground {
  const there = (w: { while?: string }) => w.while === undefined || is(w.while)
  return new Ground(g.width, g.height, g.tall, g.open, [
    ...(g.boxes ?? []).map((box) => wallOf({ box })),
    ...(g.circles ?? []).map((circle) => wallOf({ circle })),
    ...(g.gates ?? []).filter(there).map(wallOf),
    ...(g.walls ?? []).filter(there).map(wallOf),
  ])
}

const frozen = ({ book, match }: Copy) => book.phases.find((p) => p.name === match?.text('phase'))?.frozen ?? false

const numbers = (v: Value | undefined): number[] => (Array.isArray(v) ? (v as number[]) : [0, 0, 0])

const placed = (s: Sheet, field: string): Point => point(...numbers(s.raw(field)))

function toldOf(copy: Copy, me: Sheet): Told {
  const { tick, rate, book } = copy
  const seen = me.track.seen
  return {
    tick,
    at: book.every ? Math.max(seen[seen.length - 1]?.tick ?? tick, tick - rate) : tick,
    body: { at: placed(me, 'pos'), rest: point(), rise: me.num('rise'), stands: me.flag('standing') },
    steer: placed(me, 'steer'),
  }
}

function wallOf(w: { box?: number[]; circle?: number[]; low?: number; high?: number; rises?: string }): Wall {
  const [left = 0, north = 0, right = 0, south = 0] = w.box ?? []
  const [x = 0, y = 0, radius = 0] = w.circle ?? []
  const { low = 0, high = 0, rises } = w
  return { ...nowhere, left, north, right, south, x, y, radius, low, high, rises }
}
