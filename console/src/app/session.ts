// Who is signed in. An operator's key is never kept: a cookie that scripts cannot read renews the tokens.
import { Http, Refused, Tokens, type Token } from 'turnvex-client'

export interface Who {
  role: 'operator' | 'guest'
  name: string
  /** Of an operator's key. */
  scopes: readonly string[]
  /** Of a guest. */
  player?: string
}

export interface Session {
  /** starting: who it is, is not known yet; ended: the operator's session has ended, and is asked for again. */
  state: 'starting' | 'out' | 'in' | 'ended'
  who?: Who
  problem?: string
  /** A link with a key was opened while somebody was signed in: takeKey or leaveKey is to be called. */
  asked?: boolean
}

let now: Session = { state: 'starting' }
const listeners = new Set<() => void>()

function become(next: Session) {
  now = next
  for (const f of listeners) f()
}

export const session = {
  get: () => now,
  watch(f: () => void) {
    listeners.add(f)
    return () => void listeners.delete(f)
  },
  can: (scope: string) => {
    const scopes = now.who?.scopes ?? []
    return scopes.includes(scope) || scopes.includes('operator')
  },
}

const open = new Http({ address: '' })
const wasOperator = 'operator'

interface Signed extends Token {
  name: string
  player?: string
  scopes?: readonly string[] | null
}

const operatorOf = (s: Signed): Who => ({ role: 'operator', name: s.name, scopes: s.scopes ?? [] })

let waiting: { resolve: (t: Token) => void; reject: (e: Error) => void }[] = []

/** The next token of the operator; when the session has ended it waits until they have signed in again. */
async function renewOperator(): Promise<Token> {
  try {
    return await open.call('POST /v1/console/session/renew')
  } catch (e) {
    if (!(e instanceof Refused) || e.status !== 401) throw e
    become({ ...now, state: 'ended' })
    return new Promise((resolve, reject) => waiting.push({ resolve, reject }))
  }
}

async function renewGuest(): Promise<Token> {
  return await open.call('POST /v1/sign-in/device', { body: { device: device('watching') } })
}

/** A device key of this browser's own, by what it is for. */
export function device(name: string): string {
  const kept = localStorage.getItem(`device ${name}`)
  if (kept) return kept
  const fresh = [...crypto.getRandomValues(new Uint8Array(24))].map((b) => b.toString(16).padStart(2, '0')).join('')
  localStorage.setItem(`device ${name}`, fresh)
  return fresh
}

let tokens: Tokens | undefined

/** The token of whoever is signed in. Nobody becomes somebody else by asking. */
export const token = (): Promise<string> =>
  tokens ? tokens.token() : Promise.reject(new Refused('no-token', 'Nobody is signed in.', 401))

/** Calls routes as whoever is signed in. */
export const http = new Http({
  address: '',
  tokens: { token: () => (tokens ? tokens.token() : Promise.resolve('')), spoil: (t) => tokens?.spoil(t) },
})

/** Signs an operator in with their key. */
export async function signInKey(key: string) {
  const s: Signed = await open.call('POST /v1/console/session', { body: { key } })
  localStorage.setItem(wasOperator, '1')
  if (now.state === 'ended') for (const w of waiting) w.resolve(s)
  else tokens = new Tokens(renewOperator, s)
  waiting = []
  become({ state: 'in', who: operatorOf(s) })
}

/** Signs in as somebody who watches and plays. */
export async function signInGuest() {
  const s: Signed = await open.call('POST /v1/sign-in/device', { body: { device: device('watching') } })
  tokens = new Tokens(renewGuest, s)
  become({ state: 'in', who: { role: 'guest', name: s.name, scopes: [], player: s.player } })
}

/** Ends the session here and at the service. */
export async function signOut() {
  const ended = new Refused('no-token', 'You have signed out.', 401)
  for (const w of waiting) w.reject(ended)
  waiting = []
  tokens = undefined
  if (localStorage.getItem(wasOperator)) await open.call('DELETE /v1/console/session').catch(() => undefined)
  localStorage.removeItem(wasOperator)
  become({ state: 'out' })
}

/** Takes a key out of the address, so that it stands there and in the history no longer. */
function keyInAddress(): string | undefined {
  const key = new URLSearchParams(location.hash.slice(1)).get('key') ?? undefined
  if (key) history.replaceState(history.state, '', location.pathname + location.search)
  return key
}

let offered = ''

/** Signs in with the key of a link, unless somebody is signed in: then they are asked. */
async function offer(key: string | undefined) {
  if (!key) return
  offered = key
  if (now.who) become({ ...now, asked: true })
  else await takeKey()
}

/** Signs in with the key of the link that was opened, in the place of who is signed in. */
export async function takeKey() {
  const key = offered
  leaveKey()
  try {
    await signInKey(key)
  } catch (e) {
    become({ ...now, state: now.who ? now.state : 'out', problem: (e as Error).message })
  }
}

/** Forgets the key of the link that was opened. */
export function leaveKey() {
  offered = ''
  if (now.asked) become({ ...now, asked: false })
}

/** Finds out who is there: by the session that this browser has, or a key behind # in the address. */
export async function start() {
  addEventListener('hashchange', () => void offer(keyInAddress()))
  const key = keyInAddress()
  if (localStorage.getItem(wasOperator)) await goOn()
  else if (!key) become({ state: 'out' })
  await offer(key)
}

async function goOn() {
  try {
    const s: Signed = await open.call('POST /v1/console/session/renew')
    tokens = new Tokens(renewOperator, s)
    become({ state: 'in', who: operatorOf(s) })
  } catch (e) {
    if (e instanceof Refused && e.status === 401) localStorage.removeItem(wasOperator)
    become({ state: 'out', problem: (e as Error).message })
  }
}

/** Forgets a problem that has been shown. */
export const noProblem = () => become({ ...now, problem: undefined })
