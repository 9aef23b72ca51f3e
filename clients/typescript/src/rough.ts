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

/** A random time with the given mean. */
const about = (mean: number) => -Math.log(1 - Math.random()) * mean

/** What is under way in one direction: it arrives late, but in order. */
class Way {
  private readonly queue: { due: number; arrive: () => void }[] = []
  private timer?: ReturnType<typeof setTimeout>

  constructor(
    private readonly rough: Rough,
    private readonly stalled: (at: number) => number,
  ) {}

  add(arrive: () => void) {
    const { delay = 0, jitter = 0 } = this.rough
    const due = this.stalled(performance.now() + delay + Math.random() * jitter)
    this.queue.push({ due: Math.max(due, this.queue.at(-1)?.due ?? 0), arrive })
    this.wait()
  }

  private wait() {
    const first = this.queue[0]
    if (this.timer || !first) return
    this.timer = setTimeout(() => {
      this.timer = undefined
      while (this.queue[0] && this.queue[0].due <= performance.now() + 1) this.queue.shift()!.arrive()
      this.wait()
    }, first.due - performance.now())
  }
}

class RoughSocket implements Socket {
  onopen: ((e: never) => void) | null = null
  onmessage: ((e: never) => void) | null = null
  onclose: ((e: never) => void) | null = null
  onerror: ((e: never) => void) | null = null
  private stall: number
  private readonly cut?: ReturnType<typeof setTimeout>
  private readonly out: Way

  constructor(
    private readonly inner: Socket,
    private readonly rough: Rough,
  ) {
    this.stall = rough.stallEvery ? performance.now() + about(rough.stallEvery) : Infinity
    if (rough.cutEvery) this.cut = setTimeout(() => inner.close(), about(rough.cutEvery))
    const stalled = (at: number) => this.stalled(at)
    const into = new Way(rough, stalled)
    this.out = new Way(rough, stalled)
    inner.onopen = (e) => this.onopen?.(e)
    inner.onerror = (e) => this.onerror?.(e)
    inner.onmessage = (e) => into.add(() => this.onmessage?.(e))
    inner.onclose = (e) => {
      clearTimeout(this.cut)
      into.add(() => this.onclose?.(e))
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
    this.out.add(() => this.inner.readyState === 1 && this.inner.send(data))
  }

  close() {
    clearTimeout(this.cut)
    this.inner.close()
  }

  /** When something arrives that would arrive at a time without the stalls. */
  private stalled(at: number): number {
    const { stallEvery = 0, stallFor = 0 } = this.rough
    if (at <= this.stall) return at
    const end = this.stall + stallFor
    if (at >= end) this.stall = at + about(stallEvery)
    return Math.max(at, end)
  }
}
