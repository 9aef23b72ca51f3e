import { decode, decodeFirst, encode } from 'cborg'
import type { Encoding } from './encoding.ts'
import type { Message, Part } from './wire.ts'

// A list of one or two integers is the head of a snapshot or a delta; parts follow
// it as a sequence (RFC 8742). A longer list is a verdict, and all else is a map.
const DELTA = 0x82
const MAP = 0xa0

/** CBOR (RFC 8949), a fifth of the bytes of JSON in a lively match. */
export const cbor: Encoding = {
  protocol: 'turnvex.v1+cbor',
  encode: (m) => encode(defined(m)) as Uint8Array<ArrayBuffer>,
  decode: (data) => {
    const bytes = new Uint8Array(data as ArrayBuffer)
    const first = bytes[0] ?? MAP
    if (first >= MAP) return decode(bytes) as Message
    if (first > DELTA) return verdict(decode(bytes) as unknown[])
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

const elements = ['seat', 'n', 'tick', 'code', 'reason', 'left', 'waits']

/** A verdict from its elements; the empty ones stand for nothing. */
function verdict(list: unknown[]): Message {
  const given = elements.map((name, i) => [name, list[i]]).filter(([, v], i) => v || i < 3)
  return { is: 'verdict', ok: !list[3], ...Object.fromEntries(given) } as Message
}

/** Leaves out what is undefined, as JSON does. */
function defined(m: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(Object.entries(m).filter(([, v]) => v !== undefined))
}
