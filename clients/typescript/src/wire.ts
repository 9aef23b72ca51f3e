// What users of the client meet of the live protocol; its messages are in messages.ts.

/** The address of the live socket of a service. */
export function liveAddress(service: string): string {
  return `${service.replace(/^http/, 'ws').replace(/\/$/, '')}/v1/live`
}

export * from './messages.ts'

/** What a seat asks for; see the protocol page for the fields that each needs. */
export interface Intent extends Asking {
  do: string
  name?: string
  args?: Record<string, unknown>
}

/** What goes with any. */
export interface Asking {
  seat?: number
  target?: number
  /** Two parts, or three on tall ground; rounded */
  at?: number[]
  /** Where to look, in 1/65536 of a turn; rounded, and beyond a turn the same as within it */
  yaw?: number
  /** On tall ground, with yaw: how far up to look, -16384 to 16384 in 1/65536 of a turn; rounded */
  pitch?: number
  text?: string
  value?: unknown
}
