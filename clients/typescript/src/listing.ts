import { Feed, type FeedOptions } from './feed.ts'
import type { Filter, LobbyInfo, Message } from './wire.ts'

export interface ListingOptions extends FeedOptions {
  filter?: Filter
  /** Called after each change with all lobbies by their codes: a new map each time. */
  onChange?: (lobbies: ReadonlyMap<string, LobbyInfo>) => void
}

/** The list of open lobbies, kept up to date by the service. */
export class Listing extends Feed {
  lobbies: ReadonlyMap<string, LobbyInfo> = new Map()

  constructor(private readonly options: ListingOptions) {
    super(options, { list: options.filter ?? {} })
  }

  protected take(m: Message): boolean {
    if (m.is === 'listing') this.lobbies = new Map(m.lobbies.map((l) => [l.code, l]))
    else if (m.is === 'listed') {
      const next = new Map(this.lobbies)
      if (m.lobby) next.set(m.code, m.lobby)
      else next.delete(m.code)
      this.lobbies = next
    } else return false
    this.options.onChange?.(this.lobbies)
    return true
  }
}
