import type { Sheet } from './copy.ts'
import type { Own } from './own.ts'
import type { Place } from './track.ts'

/** Of how many ticks it is remembered how late they came. */
const MOST = 128
/** How many ticks may lie between two changes for nothing to stand still meanwhile. */
const MOST_GAP = 20

/**
 * Chooses the tick of which is drawn: as far behind the service's as ticks have come
 * late in the last seconds, and the tick more that it takes to draw between two. All
 * times are in ticks.
 */
export class Screen {
  private late: number[] = []
  private most = 0
  private lag = 0
  private at = 0
  private last = 0
  private newest = 0
  /** Ticks from the one before to the newest one, and those while something moves. */
  private gap = 0
  private every = 1

  /** Notes that what has changed from the tick on to tick came when the service was at now. */
  heard(on: number, tick: number, now: number) {
    this.late.push(now - tick)
    if (this.late.length > MOST) this.late.shift()
    const sorted = [...this.late].sort((a, b) => a - b)
    this.most = Math.max(sorted[sorted.length - 1 - Math.floor(sorted.length / 100)]!, 0)
    const before = this.gap
    this.gap = tick - on
    this.newest = tick
    if (this.gap <= before + 1 && this.gap <= MOST_GAP) this.every = this.gap
    else if (this.at >= on)
      // All of it is drawn, and nothing has happened since but in the last tick.
      this.at = Math.max(this.at, Math.min(now - this.lag, tick - this.every))
  }

  /**
   * The tick to draw when the service is at now; rate is ticks a second. It falls
   * behind at once when ticks come later, by going at half the pace, and comes nearer
   * slowly when they come in time again. It does not go beyond what has come, so that
   * nothing jumps when the next tick comes late.
   */
  frame(now: number, rate: number): number {
    const want = 1 + Math.min(this.most, 2 * rate) + rate / 100
    const passed = Math.max(now - this.last, 0)
    this.lag = this.last === 0 ? want : Math.max(want, this.lag - passed / 50)
    const off = now - this.lag - (this.at + passed)
    if (this.last === 0 || Math.abs(off) > rate) this.at = now - this.lag
    else this.at += passed * (1 + Math.min(Math.max(off, -0.5), off / 10, 0.3))
    this.at = Math.min(this.at, this.newest + this.every - 1)
    this.last = now
    return this.at
  }
}

/** The match as it is drawn at one moment, a little in the past: see Connection.frame. */
export class Frame {
  /** The wall tick of which others are drawn. */
  at = 0

  constructor(
    /** One's own players, who are drawn ahead of the service. */
    readonly own?: Own,
  ) {}

  /** Where to draw a player, a creature or a piece. */
  place(sheet: Sheet | undefined): Place {
    return sheet ? (this.own?.place(sheet) ?? sheet.track.at(this.at)) : [0, 0, 0]
  }
}
