import { json, openSocket, type Opener } from './encoding.ts'
import { Backoff, Link, lostBye } from './link.ts'
import { liveAddress, type Bye, type Message } from './wire.ts'

/** What every feed takes. */
export interface FeedOptions {
  /** Of the service, such as http://127.0.0.1:7420. */
  address: string
  token?: string
  /** Gives the token for each connection instead of token, which may have run out meanwhile. */
  tokens?: () => Promise<string>
  /** Opens WebSockets where the platform has none. */
  open?: Opener
  /** Called when the feed is there, or there again. */
  onUp?: () => void
  /** Called when the feed is lost (it comes back by itself) or refused (it does not). */
  onLost?: (why: Bye) => void
  /** Is told of errors in callbacks; the console if not given. */
  onError?: (e: unknown) => void
}

/** A connection to the live socket that only listens: to the listing, a board or a topic. */
export abstract class Feed {
  protected readonly link: Link
  private readonly backoff = new Backoff()
  private lastBye?: Bye

  constructor(
    private readonly feed: FeedOptions,
    what: Record<string, unknown>,
  ) {
    this.link = new Link({
      encoding: json,
      open: feed.open ?? openSocket,
      address: () => liveAddress(feed.address),
      hello: async () => ({ is: 'hello', token: feed.tokens ? await feed.tokens() : feed.token, ...what }),
      onMessage: (m) => this.message(m),
      onDown: () => {
        const why = this.lastBye ?? lostBye
        this.lastBye = undefined
        this.link?.safely(() => feed.onLost?.(why))
        return why.again ? this.backoff.next() : undefined
      },
      onError: feed.onError,
    })
  }

  /** Ends the feed. */
  close() {
    this.link.end()
  }

  /** Takes a message; true if it is one that begins the feed, or goes on with it. */
  protected abstract take(m: Message): boolean

  private message(m: Message) {
    if (m.is === 'ping') return this.link.send({ is: 'pong', n: m.n })
    if (m.is === 'bye') {
      this.lastBye = m
      return this.link.cut()
    }
    const first = !this.link.up
    let is = false
    this.link.safely(() => {
      is = this.take(m)
    })
    if (!first || !is) return
    this.link.greeted()
    this.backoff.reset()
    this.link.safely(() => this.feed.onUp?.())
  }
}
