// The messages of the live protocol, as docs/protocol.md describes them.

/** The address of the live socket of a service. */
export function liveAddress(service: string): string {
  return service.replace(/^http/, 'ws').replace(/\/$/, '') + '/v1/live'
}

export type FieldType = 'integer' | 'number' | 'text' | 'flag' | 'choice' | 'position' | 'ref' | 'clock'
export type KindName = 'lobby' | 'match' | 'team' | 'player' | 'record' | 'piece'
export const kinds: KindName[] = ['lobby', 'match', 'team', 'player', 'record', 'piece']

/** A field's value as it is sent: see the protocol page for each type. */
export type Value = number | string | boolean | number[]

export interface FieldInfo {
  no: number
  name: string
  title?: string
  type: FieldType
  choices?: string[]
  of?: KindName
  see?: 'team' | 'owner' | 'referees'
  min?: number
  max?: number
  wall?: boolean
  /** Changes are told at most once in so many ticks. */
  every?: number
  own?: boolean
}

export interface ActionInfo {
  name: string
  title: string
  key?: string
  aim: 'self' | 'target' | 'line' | 'area'
  who?: string
  reach?: number
  held?: boolean
  cools?: boolean
  takes?: FieldInfo[]
  phases: string[]
}

export interface GroundInfo {
  width: number
  height: number
  boxes?: [number, number, number, number][]
  circles?: [number, number, number][]
  /** How far positions are told, in millimetres; between near and far at most one in every ticks. */
  sight?: { near: number; far: number; every: number }
}

export interface BookInfo {
  name: string
  title: string
  about?: string
  version: string
  teams?: string[]
  actions?: ActionInfo[]
  kits?: { name: string; actions: string[] }[]
  pieces?: { name: string; title: string; radius: number }[]
  phases: { name: string; title: string; frozen?: boolean }[]
  ground?: GroundInfo
  moves?: boolean
  radius?: number
  notices?: { name: string; fields?: FieldInfo[] }[]
}

export interface Welcome {
  is: 'welcome'
  lobby: string
  seats: { seat: number; last: number }[]
  resume?: string
  /** The copy is still good: a delta on its tick follows, and schema and book are left out. */
  kept?: boolean
  /** Why the service ended the connection before this one, if it did. */
  ended?: Bye
  rate: number
  tick: number
  hold: number
  schema?: { kinds: (FieldInfo[] | null)[] }
  book?: BookInfo
  service: string
  /** Milliseconds by which a spectator sees everything later. */
  delay?: number
  /** The place in line, from 1, of who waits for a seat. */
  waiting?: number
}

/** A lobby as listings show it. */
export interface LobbyInfo {
  code: string
  name?: string
  rulebook: string
  version: string
  title: string
  region: string
  state: string
  seats: number
  capacity: number
  /** Seats that are neither taken nor held for others. */
  free: number
  waiting?: number
  practice: boolean
  open: boolean
  password: boolean
  opened: string
}

/** A part of a snapshot or a delta: see the protocol page. */
export type Part = Value[]

export interface Verdict {
  is: 'verdict'
  seat: number
  n: number
  ok: boolean
  code?: string
  reason?: string
  tick: number
  left?: number
}

export interface Notice {
  is: 'notice'
  name: string
  tick: number
  to?: string
  of?: number
  with?: Record<string, Value>
}

/** A field in which a copy differed from what it should hold. */
export interface Difference {
  seat?: number
  sheet: number
  kind: KindName
  field?: string
  want: string
  found: string
}

export interface Bye {
  is: 'bye'
  code: string
  reason: string
  again: boolean
}

export type Message =
  | Welcome
  | { is: 'snapshot'; tick: number; parts: Part[] }
  | { is: 'delta'; tick: number; on: number; parts: Part[] }
  | Verdict
  | Notice
  | { is: 'ping' | 'pong'; n: number; tick?: number; part?: number }
  | { is: 'missed'; notices: number }
  | { is: 'check' | 'show'; tick: number }
  | { is: 'differs'; tick: number; fields: Difference[] }
  | { is: 'listing'; lobbies: LobbyInfo[] }
  | { is: 'listed'; code: string; lobby?: LobbyInfo; gone?: boolean }
  | Bye

/** What a seat asks for; see the protocol page for the fields that each needs. */
export interface Intent {
  seat?: number
  do: string
  name?: string
  target?: number
  at?: [number, number]
  args?: Record<string, unknown>
  text?: string
  value?: unknown
}
