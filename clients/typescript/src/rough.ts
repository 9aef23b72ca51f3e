import type { Opener, Socket } from './encoding.ts'

/** How bad a connection is made on purpose; times in milliseconds. */
export interface Rough {
  /** Each way. */
  delay?: number
  /** Up to so much more, at random. */
  jitter?: number
  /** On average so long after the last stall … */
  stallEvery?: number
  /** … nothing arrives for this time. */
  stallFor?: number
  /** On average so long after it was opened the connection is cut. */
  cutEvery?: number
}

/** Makes the sockets of an opener bad: messages come late, but whole and in order. */
export function roughen(open: Opener, rough: Rough): Opener {
  return (address, protocol) => new RoughSocket(open(address, protocol), rough)
}

const about = (mean: number) => -Math.log(1 - Math.random()) * mean

class RoughSocket implements Socket {
  onopen: ((e: never) => void) | null = null
  onmessage: ((e: { data: unknown }) => void) | null = null
  onclose: ((e: never) => void) | null = null
  private stall: number
  private readonly last: [number, number] = [0, 0]
  private cut?: ReturnType<typeof setTimeout>

  constructor(
    private readonly inner: Socket,
    private readonly rough: Rough,
  ) {
    this.stall = rough.stallEvery ? performance.now() + about(rough.stallEvery) : Infinity
    if (rough.cutEvery) this.cut = setTimeout(() => inner.close(), about(rough.cutEvery))
    inner.onopen = (e) => this.onopen?.(e)
    inner.onmessage = (e) => setTimeout(() => this.onmessage?.(e), this.due(0))
    inner.onclose = (e) => {
      clearTimeout(this.cut)
      setTimeout(() => this.onclose?.(e), this.due(0))
    }
  }

  get binaryType() {
    return this.inner.binaryType
  }
  set binaryType(t: string) {
    this.inner.binaryType = t
  }
  get readyState() {
    return this.inner.readyState
  }

  send(data: string | Uint8Array<ArrayBuffer>) {
    setTimeout(() => this.inner.readyState === 1 && this.inner.send(data), this.due(1))
  }

  close() {
    clearTimeout(this.cut)
    this.inner.close()
  }

  /** How long what is sent now takes; never before what was sent earlier in that direction. */
  private due(direction: 0 | 1): number {
    const { delay = 0, jitter = 0, stallEvery = 0, stallFor = 0 } = this.rough
    const now = performance.now()
    let at = now + delay + Math.random() * jitter
    if (at > this.stall) {
      const end = this.stall + stallFor
      if (at < end) at = end
      else this.stall = at + about(stallEvery)
    }
    this.last[direction] = at = Math.max(at, this.last[direction])
    return at - now
  }
}
