import type { Message } from './wire.ts'

/** How messages are written: json is here, cbor in turnvex-client/cbor. */
export interface Encoding {
  /** The WebSocket subprotocol. */
  protocol: string
  encode: (message: Record<string, unknown>) => string | Uint8Array<ArrayBuffer>
  decode: (data: string | ArrayBuffer) => Message
}

export const json: Encoding = {
  protocol: 'turnvex.v1+json',
  encode: (m) => JSON.stringify(m),
  decode: (data) => JSON.parse(String(data)) as Message,
}

/** What a connection needs of a WebSocket. */
export interface Socket {
  binaryType: string
  readonly readyState: number
  onopen: ((e: never) => void) | null
  onmessage: ((e: never) => void) | null
  onclose: ((e: never) => void) | null
  onerror: ((e: never) => void) | null
  send: (data: string | Uint8Array<ArrayBuffer>) => void
  close: () => void
}

/** Opens a WebSocket; for programs whose platform has no WebSocket of its own. */
export type Opener = (address: string, protocol: string) => Socket

export const openSocket: Opener = (address, protocol) => new WebSocket(address, protocol) as Socket
