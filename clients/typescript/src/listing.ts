import type { Filter, Bye, LobbyInfo, Message } from './wire.ts'
import { json, openSocket, type Opener, type Socket } from './encoding.ts'
import { liveAddress } from './wire.ts'

export interface ListingOptions {
  address: string
  token: string
  filter?: Filter
  /** Opens WebSockets where the platform has none. */
  open?: Opener
  /** Called after each change with all lobbies by their codes: a new map each time. */
  onChange?: (lobbies: ReadonlyMap<string, LobbyInfo>) => void
  /** Called when the listing is lost (it comes back by itself) or refused (it does not). */
  onLost?: (why: Bye) => void
}

/** The list of open lobbies, kept up to date by the service. */
export class Listing {
  lobbies: ReadonlyMap<string, LobbyInfo> = new Map()
  private socket?: Socket
  private timer?: ReturnType<typeof setTimeout>
  private wait = 100
  private closed = false

  constructor(readonly options: ListingOptions) {
    this.connect()
  }

  close() {
    this.closed = true
    clearTimeout(this.timer)
    this.socket?.close()
  }

  private connect() {
    const { address, token, filter } = this.options
    const socket = (this.options.open ?? openSocket)(liveAddress(address), json.protocol)
    this.socket = socket
    socket.onopen = () => socket.send(JSON.stringify({ is: 'hello', token, list: filter ?? {} }))
    socket.onmessage = (e) => this.message(JSON.parse(String(e.data)) as Message, socket)
    socket.onclose = () => {
      if (this.closed) return
      this.options.onLost?.({ is: 'bye', code: 'lost', reason: 'the connection was lost', again: true })
      this.timer = setTimeout(() => this.connect(), this.wait * (0.5 + Math.random()))
      this.wait = Math.min(this.wait * 2, 5000)
    }
  }

  private message(m: Message, socket: Socket) {
    switch (m.is) {
      case 'listing':
        this.wait = 100
        this.take(new Map(m.lobbies.map((l) => [l.code, l])))
        break
      case 'listed': {
        const next = new Map(this.lobbies)
        if (m.lobby) next.set(m.code, m.lobby)
        else next.delete(m.code)
        this.take(next)
        break
      }
      case 'ping':
        socket.send(JSON.stringify({ is: 'pong', n: m.n }))
        break
      case 'bye':
        if (m.again) break
        this.close()
        this.options.onLost?.(m)
    }
  }

  private take(lobbies: ReadonlyMap<string, LobbyInfo>) {
    this.lobbies = lobbies
    this.options.onChange?.(lobbies)
  }
}
