import { Connection, type Bye, type Copy, type Notice, type Options, type State } from 'turnvex-client'

/** What a page sees of a live connection. A new object each time something has changed. */
export interface LiveState {
  state: State
  why?: Bye
  copy?: Copy
  notices: Notice[]
}

const keptNotices = 40

/** A live connection as a small store: framework-free, with a thin binding in useLive. */
export class LiveStore {
  readonly connection: Connection
  private snapshot: LiveState = { state: 'connecting', notices: [] }
  private readonly listeners = new Set<() => void>()
  private waiting = false

  constructor(options: Options) {
    this.connection = new Connection({
      ...options,
      onChange: (_, copy) => this.update({ copy }),
      onNotice: (n) => this.update({ notices: [...this.snapshot.notices.slice(1 - keptNotices), n] }),
      onState: (state, why) => this.update({ state, why }),
    })
  }

  get = () => this.snapshot

  watch = (f: () => void) => {
    this.listeners.add(f)
    return () => void this.listeners.delete(f)
  }

  /** Changes are drawn together, at most once a frame. */
  private update(part: Partial<LiveState>) {
    this.snapshot = { ...this.snapshot, ...part }
    if (this.waiting) return
    this.waiting = true
    requestAnimationFrame(() => {
      this.waiting = false
      for (const f of this.listeners) f()
    })
  }
}
