import { Feed, type FeedOptions } from './feed.ts'
import { Http } from './http.ts'
import type { BoardPage, BoardRow, BoardWatch, Message } from './wire.ts'

export interface BoardOptions extends FeedOptions {
  /** Which part is watched. */
  board: BoardWatch
  /** Called after each change with the part as it is then: a new object each time. */
  onChange?: (page: BoardPage) => void
}

/** A part of a leaderboard, kept up to date by the service. */
export class WatchedBoard extends Feed {
  page?: BoardPage

  constructor(private readonly options: BoardOptions) {
    super(options, { board: options.board })
  }

  protected take(m: Message): boolean {
    if (m.is === 'board') this.page = m.page
    else if (m.is === 'ranked' && this.page) {
      const rows: BoardRow[] = this.page.rows.slice(0, m.rows)
      for (const { n, row } of m.set) rows[n] = row
      this.page = { ...this.page, count: m.count, first: m.first, rows }
    } else return false
    this.options.onChange?.(this.page)
    return true
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

/** Calls routes with a token that is at hand, or none. */
const caller = (address: string, token?: string) =>
  new Http({ address, ...(token && { tokens: { token: () => Promise.resolve(token) } }) })

/** Reads a part of a leaderboard. The token is needed for around: 'me' only. */
export async function readBoard(
  address: string,
  rulebook: string,
  board: string,
  part: BoardPart = {},
  token?: string,
): Promise<BoardPage> {
  const query = { ...part, players: part.players?.join(',') }
  return (await caller(address, token).call('GET /v1/boards/{rulebook}/{board}', {
    path: { rulebook, board },
    query,
  })) as BoardPage
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
  await caller(address, token).call('POST /v1/boards/{rulebook}/{board}', {
    path: { rulebook, board },
    body: { value, ...(id && { id }) },
  })
}
