import { decode, decodeFirst, encode } from 'cborg'
import type { Encoding } from './encoding.ts'
import type { Message, Part } from './wire.ts'

// A list of one or two integers is the head of a snapshot or a delta; parts follow
// it as a sequence (RFC 8742).
const SNAPSHOT = 0x81
const DELTA = 0x82

/** CBOR (RFC 8949), about half as long as JSON. */
export const cbor: Encoding = {
  protocol: 'turnvex.v1+cbor',
  encode: (m) => encode(defined(m)) as Uint8Array<ArrayBuffer>,
  decode: (data) => {
    const bytes = new Uint8Array(data as ArrayBuffer)
    if (bytes[0] !== SNAPSHOT && bytes[0] !== DELTA) return decode(bytes) as Message
    let [head, rest] = decodeFirst(bytes) as [number[], Uint8Array]
    const parts: Part[] = []
    while (rest.length > 0) {
      const [part, behind] = decodeFirst(rest) as [Part, Uint8Array]
      parts.push(part)
      rest = behind
    }
    const [tick = 0, since] = head
    return since === undefined ? { is: 'snapshot', tick, parts } : { is: 'delta', on: tick - since, tick, parts }
  },
}

/** Leaves out what is undefined, as JSON does. */
function defined(m: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(Object.entries(m).filter(([, v]) => v !== undefined))
}
