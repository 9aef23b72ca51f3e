// The TypeScript client of a Turnvex service: no framework, for browsers and Node.
import { Connection as Live } from './connection.ts'
import type { AnyNames, ConnectionOf, Names, OptionsOf } from './names.ts'

/**
 * A live connection: it keeps a copy of what it may see and comes back when it is lost.
 * With the names of a rulebook, as `turnvex types` writes them, the compiler checks
 * what is read and asked for: `new Connection<Clash>(…)`.
 */
export const Connection = Live as unknown as new <N extends Names = AnyNames>(options: OptionsOf<N>) => ConnectionOf<N>
export type Connection<N extends Names = AnyNames> = ConnectionOf<N>
export type * from './names.ts'
export type { Expected, Options, State, Heard, Undone } from './options.ts'
export { Copy, Schema, Sheet, plain, same, type Change } from './copy.ts'
export { clockTicks, formatClock } from './clock.ts'
export { json, openSocket, type Encoding, type Opener, type Socket } from './encoding.ts'
export { Estimate } from './estimate.ts'
export type { Rough } from './rough.ts'
export { Frame, Screen } from './screen.ts'
export { ahead, Own } from './own.ts'
export { Body, Lead, type Told, type World } from './ahead.ts'
export { Ground, type Drive, type Gait, type Moving, type Point, type Wall } from './ground.ts'
export { between, Track, type Place, type Seen } from './track.ts'
export type { On } from './watch.ts'
export type { FeedOptions } from './feed.ts'
export { Refused } from './refused.ts'
export { Http, Tokens, type Answer, type Call, type HttpOptions, type Token } from './http.ts'
export type { Routes } from './routes.ts'
export * from './wire.ts'
export * from './listing.ts'
export * from './topics.ts'
export { postToBoard, readBoard, WatchedBoard, type BoardOptions, type BoardPart } from './boards.ts'
