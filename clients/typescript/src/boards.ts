import type { BoardPage, BoardRow, BoardWatch, Bye, Message } from './wire.ts'
import { json, openSocket, type Opener, type Socket } from './encoding.ts'
import { liveAddress } from './wire.ts'

export interface BoardOptions {
  address: string
  token: string
  /** Which part is watched. */
  board: BoardWatch
  /** Opens WebSockets where the platform has none. */
  open?: Opener
  /** Called after each change with the part as it is then: a new object each time. */
  onChange?: (page: BoardPage) => void
  /** Called when the board is lost (it comes back by itself) or refused (it does not). */
  onLost?: (why: Bye) => void
}

/** A part of a leaderboard, kept up to date by the service. */
export class WatchedBoard {
  page?: BoardPage
  private socket?: Socket
  private timer?: ReturnType<typeof setTimeout>
  private wait = 100
  private closed = false

  constructor(readonly options: BoardOptions) {
    this.connect()
  }

  close() {
    this.closed = true
    clearTimeout(this.timer)
    this.socket?.close()
  }

  private connect() {
    const { address, token, board } = this.options
    const socket = (this.options.open ?? openSocket)(liveAddress(address), json.protocol)
    this.socket = socket
    socket.onopen = () => socket.send(JSON.stringify({ is: 'hello', token, board }))
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
      case 'board':
        this.wait = 100
        this.take(m.page)
        break
      case 'ranked': {
        if (!this.page) break
        const rows: BoardRow[] = this.page.rows.slice(0, m.rows)
        for (const { n, row } of m.set) rows[n] = row
        this.take({ ...this.page, count: m.count, first: m.first, rows })
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

  private take(page: BoardPage) {
    this.page = page
    this.options.onChange?.(page)
  }
}

/** What the service refused, with its stable code. */
export class Refused extends Error {
  constructor(
    readonly code: string,
    reason: string,
  ) {
    super(reason)
  }
}

/** Which part of a board is wanted: the first of cursor, around, players and from that is set counts. */
export interface BoardPart {
  season?: string
  cursor?: string
  /** A player's ID, or me. */
  around?: string
  players?: string[]
  from?: number
  limit?: number
}

const boardPath = (address: string, rulebook: string, board: string) =>
  `${address}/v1/boards/${encodeURIComponent(rulebook)}/${encodeURIComponent(board)}`

async function answer(res: Response): Promise<unknown> {
  const body: unknown = res.status === 204 ? undefined : await res.json()
  if (res.ok) return body
  const { code = `http-${res.status}`, detail = res.statusText } = (body ?? {}) as { code?: string; detail?: string }
  throw new Refused(code, detail)
}

/** Reads a part of a leaderboard. The token is needed for around: 'me' only. */
export async function readBoard(
  address: string,
  rulebook: string,
  board: string,
  part: BoardPart = {},
  token?: string,
): Promise<BoardPage> {
  const query = new URLSearchParams()
  for (const [name, value] of Object.entries(part)) if (value !== undefined) query.set(name, String(value))
  const headers: Record<string, string> = token ? { authorization: `Bearer ${token}` } : {}
  const path = boardPath(address, rulebook, board)
  return (await answer(await fetch(`${path}?${query}`, { headers }))) as BoardPage
}

/**
 * Posts to a leaderboard that its rulebook opens to clients. With an id, a UUID, it may be sent again
 * after an error.
 */
export async function postToBoard(
  address: string,
  token: string,
  rulebook: string,
  board: string,
  value: number,
  id?: string,
): Promise<void> {
  const headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' }
  const body = JSON.stringify(id ? { value, id } : { value })
  await answer(await fetch(boardPath(address, rulebook, board), { method: 'POST', headers, body }))
}
