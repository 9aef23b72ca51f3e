import type { Change, Copy } from './copy.ts'
import type { Encoding, Opener } from './encoding.ts'
import type { Own } from './own.ts'
import type { Rough } from './rough.ts'
import type { Bye, Difference, Intent, Notice, SeriesMessage, StillMessage, Value } from './wire.ts'

export interface Options {
  /** Of the service, such as http://127.0.0.1:7420. */
  address: string
  token?: string
  /** Join code. */
  lobby: string
  /** As a spectator, without a seat. */
  watch?: boolean
  /** Operators: see everything. */
  all?: boolean
  /** Operators: see exactly what this seat sees. */
  as?: number
  team?: string
  /** Names of further players on this connection. */
  locals?: string[]
  /** Of the lobby, if it has one. */
  password?: string
  /** Of the rulebook; refused if the lobby runs another one. */
  version?: string
  /** Stand in line if the lobby is full; meanwhile one sees what a spectator sees. */
  wait?: boolean
  /** Gives the token for each new connection instead of token, which may have run out meanwhile. */
  tokens?: () => Promise<string>
  /** Milliseconds to keep trying after a lost connection; what the service holds seats for if not given. */
  patience?: number
  /** json if not given; cbor takes a fifth of its bytes in a lively match. */
  encoding?: Encoding
  /** Has frame draw one's own players where they will be: ahead, which takes some bytes. */
  ahead?: () => Own
  /** Opens WebSockets where the platform has none. */
  open?: Opener
  /** Makes the connection bad on purpose. */
  rough?: Rough
  onChange?: (changes: Change[], copy: Copy) => void
  onNotice?: (notice: Heard) => void
  /** Called when a meeting of a series that is the player's changes. */
  onSeries?: (due: SeriesMessage) => void
  /** Called when notices were left out because the connection was too slow. */
  onMissed?: (notices: number) => void
  /** Called when the copy differed from what it should hold; a new snapshot follows. */
  onDiffers?: (fields: Difference[]) => void
  /**
   * Called when the service has come back from a failure, and intents of a seat that it had answered are not part of
   * the match: those after last, up to heard. The copy as it is now follows.
   */
  onUndone?: (undone: Undone) => void
  /** Called when play stands still, since the service cannot keep what happens, and, with over, when it goes on. */
  onStill?: (still: StillMessage) => void
  /** Called when the connection comes, goes away for a while, or ends for good, with why as far as that is known. */
  onState?: (state: State, why?: Bye) => void
  /** Is told of errors in callbacks, which never stop the connection; the console if not given. */
  onError?: (e: unknown) => void
}

/** Intents of a seat that were answered and did not happen after all: those after last, up to heard. */
export interface Undone {
  seat: number
  last: number
  heard: number
}

export type State = 'connecting' | 'open' | 'away' | 'ended'

/** A notice, with what it says as sheets show such values; raw has them as they are sent. */
export interface Heard extends Notice {
  with: Record<string, Value>
  raw: Record<string, Value>
}

/** What an intent is expected to do, shown until its verdict is there, or a referee has decided. */
export interface Expected {
  /** The sheet's number; the own player's if not given. */
  sheet?: number
  field: string
  /** As Sheet.get shows it. */
  value: Value
}

/** An intent with integers where integers are meant: what is between two is rounded. */
export function whole(intent: Intent): Intent {
  const round = (n: number) => {
    if (!Number.isSafeInteger(Math.round(n))) throw new RangeError(`${n} is not a number that an intent can say`)
    return Math.round(n)
  }
  const { at, yaw, pitch, ...rest } = intent
  return {
    ...rest,
    ...(at && { at: at.map(round) }),
    ...(yaw !== undefined && { yaw: round(yaw) & 65535 }),
    ...(pitch !== undefined && { pitch: round(pitch) }),
  }
}
