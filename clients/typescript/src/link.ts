import type { Encoding, Opener, Socket } from './encoding.ts'
import type { Bye, Message } from './wire.ts'

export interface LinkOptions {
  encoding: Encoding
  open: Opener
  /** Where the next attempt goes. */
  address: () => string
  /** The first message; made anew for each attempt. */
  hello: () => Promise<Record<string, unknown>>
  onMessage: (m: Message) => void
  /**
   * An attempt has failed, or what was open is lost. Gives the milliseconds after which the next attempt
   * is made, or undefined to make none.
   */
  onDown: (wasUp: boolean, why?: unknown) => number | undefined
  /** Is told of errors in callbacks, which never stop the link; the console if not given. */
  onError?: (e: unknown) => void
}

/** Milliseconds for the WebSocket to open, and again for hello and its answer. */
const OPEN_WITHIN = 8000
/** Seconds without any message after which the link counts as lost: the service pings every two. */
const SILENT_FOR = 12

/** One attempt, with a socket of its own: what an older one still says is heard by nobody. */
interface Attempt {
  socket: Socket
  up: boolean
  over: boolean
  quiet: number
  deadline?: ReturnType<typeof setTimeout>
  watch?: ReturnType<typeof setInterval>
}

/**
 * A connection to the live socket that comes back when it is lost. It notices by itself what a browser
 * does not: a service that takes the connection and never answers, or that falls silent.
 */
export class Link {
  private attempt?: Attempt
  private timer?: ReturnType<typeof setTimeout>
  private ended = false

  constructor(private readonly options: LinkOptions) {
    queueMicrotask(() => this.connect()) // whoever made the link holds it by then
  }

  /** Whether the service has answered hello, and is heard. */
  get up(): boolean {
    return this.attempt?.up ?? false
  }

  /** Sends a message if the link is open; nobody is told if it is not. */
  send(message: Record<string, unknown>) {
    const socket = this.attempt?.socket
    if (socket?.readyState === 1) socket.send(this.options.encoding.encode(message))
  }

  /** Says that the service has answered hello. */
  greeted() {
    const a = this.attempt
    if (!a || a.up) return
    a.up = true
    clearTimeout(a.deadline)
    a.watch = setInterval(() => {
      if (++a.quiet > SILENT_FOR) this.down(a)
    }, 1000)
  }

  /** Breaks the connection; it comes back by itself. */
  cut() {
    if (this.attempt) this.down(this.attempt)
  }

  /** Ends the link for good. */
  end() {
    this.ended = true
    clearTimeout(this.timer)
    if (this.attempt) this.drop(this.attempt)
  }

  private connect() {
    if (this.ended) return
    const { open, encoding, address, hello } = this.options
    let socket: Socket
    try {
      socket = open(address(), encoding.protocol)
    } catch (e) {
      return this.failed(e)
    }
    const a: Attempt = { socket, up: false, over: false, quiet: 0 }
    this.attempt = a
    a.deadline = setTimeout(() => this.down(a), OPEN_WITHIN)
    socket.binaryType = 'arraybuffer'
    socket.onopen = () => {
      if (a.over) return
      clearTimeout(a.deadline)
      a.deadline = setTimeout(() => this.down(a), OPEN_WITHIN)
      hello().then(
        (m) => a.over || this.send(m),
        (e: unknown) => this.down(a, e),
      )
    }
    socket.onmessage = (e: { data: unknown }) => {
      if (a.over) return
      a.quiet = 0
      let m: Message
      try {
        m = encoding.decode(e.data as string | ArrayBuffer)
      } catch {
        return this.down(a)
      }
      this.safely(() => this.options.onMessage(m))
    }
    socket.onclose = () => this.down(a)
    socket.onerror = () => undefined // it closes behind that; unheard it would end a program in Node
  }

  /** Calls back; an error of whoever is called is theirs alone. */
  safely(call: () => void) {
    try {
      call()
    } catch (e) {
      ;(this.options.onError ?? console.error)(e)
    }
  }

  private drop(a: Attempt) {
    a.over = true
    clearTimeout(a.deadline)
    clearInterval(a.watch)
    if (this.attempt === a) this.attempt = undefined
    a.socket.close() // a close that is never answered is waited for by nobody
  }

  private down(a: Attempt, why?: unknown) {
    if (a.over || this.ended) return
    this.drop(a)
    this.again(a.up, why)
  }

  private failed(e: unknown) {
    ;(this.options.onError ?? console.error)(e)
    this.again(false)
  }

  private again(wasUp: boolean, why?: unknown) {
    let wait: number | undefined
    this.safely(() => {
      wait = this.options.onDown(wasUp, why)
    })
    if (wait !== undefined && !this.ended) this.timer = setTimeout(() => this.connect(), wait)
  }
}

/** Waits for longer each time, at random, so that many do not come back at one moment. */
export class Backoff {
  private wait = FIRST

  next(): number {
    const wait = this.wait * (0.5 + Math.random())
    this.wait = Math.min(this.wait * 2, LONGEST)
    return wait
  }

  reset() {
    this.wait = FIRST
  }
}

const FIRST = 100
const LONGEST = 5000

/** Why a feed has nothing new. */
export const lostBye: Bye = { is: 'bye', code: 'lost', reason: 'the connection was lost', again: true }
