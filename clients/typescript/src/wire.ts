// What users of the client meet of the live protocol; its messages are in messages.ts.

/** The address of the live socket of a service. */
export function liveAddress(service: string): string {
  return `${service.replace(/^http/, 'ws').replace(/\/$/, '')}/v1/live`
}

export * from './messages.ts'

/** What a seat asks for; see the protocol page for the fields that each needs. */
export interface Intent {
  seat?: number
  do: string
  name?: string
  target?: number
  /** Two parts, or three on tall ground */
  at?: number[]
  args?: Record<string, unknown>
  text?: string
  value?: unknown
}
