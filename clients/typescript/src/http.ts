import { Refused } from './refused.ts'
import type { Routes } from './routes.ts'

/** What a route answers. */
export type Answer<R extends keyof Routes> = Routes[R]['answer']

/** What a call needs: what stands in the route's path and query, and its body. */
export type Call<R extends keyof Routes> = (Record<never, never> extends Routes[R]['path']
  ? { path?: undefined }
  : { path: Routes[R]['path'] }) &
  (Routes[R]['body'] extends undefined ? { body?: undefined } : { body: Routes[R]['body'] }) & {
    query?: Routes[R]['query']
    /** Ends the call early: it is rejected with the signal's reason. */
    signal?: AbortSignal
    /** Milliseconds until the call counts as not answered; 10,000 if not given. */
    deadline?: number
  }

/** A token, and when it runs out (RFC 3339). */
export interface Token {
  token: string
  expires: string
}

/** Keeps a token fresh. However many ask at once, it is renewed once. */
export class Tokens {
  private held?: { token: string; until: number }
  private under?: Promise<string>

  /** Gets a new token with renew, which is called when one is needed and the one before is about to run out. */
  constructor(
    private readonly renew: () => Promise<Token>,
    first?: Token,
  ) {
    if (first) this.hold(first)
  }

  /** A token that lasts for another 30 seconds at least. */
  token = (): Promise<string> => {
    if (this.held && this.held.until - Date.now() > FRESH) return Promise.resolve(this.held.token)
    this.under ??= this.renew()
      .then((t) => this.hold(t))
      .finally(() => {
        this.under = undefined
      })
    return this.under
  }

  /** Says that a token is not good any more, whatever its time; the next one is a new one. */
  spoil(token: string) {
    if (this.held?.token === token) this.held = undefined
  }

  private hold(t: Token): string {
    this.held = { token: t.token, until: Date.parse(t.expires) }
    return t.token
  }
}

const FRESH = 30_000
const DEADLINE = 10_000

export interface HttpOptions {
  /** Of the service, such as http://127.0.0.1:7420; '' in a page of the service itself. */
  address: string
  /** Gives the token of each call; without one only what anyone may call is answered. */
  tokens?: { token: () => Promise<string>; spoil?: (token: string) => void }
  /** In place of the platform's fetch. */
  fetch?: typeof fetch
}

/** Calls the routes of a service. */
export class Http {
  constructor(private readonly options: HttpOptions) {}

  /**
   * Calls a route: call('GET /v1/lobbies/{code}', { path: { code } }). A token that the service takes for
   * run out is renewed, and the call is made once more.
   */
  async call<R extends keyof Routes>(route: R, ...[call]: Argument<R>): Promise<Answer<R>> {
    const { tokens } = this.options
    const token = await tokens?.token()
    try {
      return await this.once<R>(route, call, token)
    } catch (e) {
      if (!token || !(e instanceof Refused) || e.status !== 401 || !tokens?.spoil) throw e
      tokens.spoil(token)
      return await this.once<R>(route, call, await tokens.token())
    }
  }

  private async once<R extends keyof Routes>(route: R, call: Call<R> | undefined, token?: string): Promise<Answer<R>> {
    const [method = 'GET', path = ''] = route.split(' ')
    const headers: Record<string, string> = {}
    if (token) headers.authorization = `Bearer ${token}`
    const body = call?.body as unknown
    if (body !== undefined) headers['content-type'] = typeof body === 'string' ? 'application/yaml' : 'application/json'
    const late = new AbortController()
    const deadline = call?.deadline ?? DEADLINE
    const timer = setTimeout(() => late.abort(), deadline)
    const signal = call?.signal ? AbortSignal.any([call.signal, late.signal]) : late.signal
    try {
      const res = await (this.options.fetch ?? fetch)(this.options.address + this.place(path, call), {
        method,
        headers,
        signal,
        body: body === undefined || typeof body === 'string' ? body : JSON.stringify(body),
      })
      return (await read(res)) as Answer<R>
    } catch (e) {
      if (e instanceof Refused) throw e
      if (call?.signal?.aborted) throw call.signal.reason
      if (late.signal.aborted)
        throw new Refused('no-answer', `The service has not answered within ${deadline / 1000} s.`)
      throw new Refused('no-answer', 'The service cannot be reached.')
    } finally {
      clearTimeout(timer)
    }
  }

  private place(path: string, call?: { path?: object; query?: object }): string {
    const parts = (call?.path ?? {}) as Record<string, string>
    const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(parts[name] ?? ''))
    const query = new URLSearchParams()
    for (const [name, value] of Object.entries(call?.query ?? {}))
      if (value !== undefined && value !== '') query.set(name, String(value))
    return query.size ? `${filled}?${query}` : filled
  }
}

/** A call without anything that must be given needs no second argument. */
type Argument<R extends keyof Routes> = Record<never, never> extends Call<R> ? [call?: Call<R>] : [call: Call<R>]

async function read(res: Response): Promise<unknown> {
  if (res.status === 204) return undefined
  const kind = res.headers.get('content-type') ?? ''
  if (res.ok) return kind.includes('json') && !kind.includes('jsonl') ? await res.json() : await res.text()
  const problem = (await res.json().catch(() => ({}))) as { code?: string; detail?: string }
  const after = Number(res.headers.get('retry-after'))
  throw new Refused(
    problem.code ?? `http-${res.status}`,
    problem.detail ?? res.statusText,
    res.status,
    after > 0 ? after : undefined,
  )
}
