interface Sample {
  trip: number
  at: number
  tick: number
}

/** How many round trips are looked at. */
const MOST = 8
/** How much later than others what is sent is expected to come, and what is added to that. */
const MOST_UP = 60
const SPARE = 10

/**
 * What a client knows of the service's wall tick. A pong tells the tick at about the
 * middle of its round trip, so the sample with the shortest round trip of the last
 * few is the best: at a steady delay it is good to a fraction of a tick. Until the
 * first pong, ticks that are merely heard of serve. Times are in milliseconds.
 */
export class Estimate {
  rate = 0
  private heardAt?: number
  private ticks = 0
  private samples: Sample[] = []

  /**
   * Takes a tick that was read. It only moves the estimate forward, so that one slow
   * message does not make clocks run late.
   */
  heard(tick: number, now: number) {
    const expected = this.merely(now)
    if (this.heardAt === undefined || tick >= expected || expected - tick > this.rate) {
      this.ticks = tick
      this.heardAt = now
    }
  }

  /** Takes a round trip that ends now. */
  measured(sent: number, now: number, tick: number) {
    const trip = now - sent
    this.samples = [...this.samples, { trip, at: now - trip / 2, tick }].slice(-MOST)
  }

  /** Forgets round trips, as after a connection was lost. */
  reset() {
    this.samples = []
  }

  /** The tick at a time, with its fraction. */
  exact(now: number): number {
    const best = this.best()
    return best ? best.tick + ((now - best.at) * this.rate) / 1000 : this.merely(now)
  }

  /** How many ticks what is sent takes to the service, of the last round trips the longest, within limits. */
  get up(): number {
    const best = this.best()
    if (!best) return 1
    const least = best.trip / 2
    const late = (s: Sample) => ((s.tick - this.exact(s.at - s.trip / 2)) * 1000) / this.rate
    const most = Math.max(least, ...this.samples.map(late))
    return ((Math.min(most, least + MOST_UP) + SPARE) * this.rate) / 1000
  }

  /** The shortest of the last round trips, 0 before the first. */
  get trip(): number {
    return this.best()?.trip ?? 0
  }

  private merely(now: number): number {
    return this.ticks + Math.floor(((now - (this.heardAt ?? now)) * this.rate) / 1000)
  }

  private best(): Sample | undefined {
    return this.samples.reduce<Sample | undefined>((a, b) => (a && a.trip <= b.trip ? a : b), undefined)
  }
}
