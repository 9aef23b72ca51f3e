// Talks to the service over HTTP and keeps who is signed in.

export interface Problem {
  code: string
  detail: string
  status: number
}

export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

export interface Me {
  token: string
  name: string
  role: 'operator' | 'guest'
}

let me: Me | undefined = read()
const listeners = new Set<() => void>()

function read(): Me | undefined {
  try {
    return JSON.parse(sessionStorage.getItem('me') ?? 'null') ?? undefined
  } catch {
    return undefined
  }
}

export const session = {
  get: () => me,
  watch(f: () => void) {
    listeners.add(f)
    return () => void listeners.delete(f)
  },
  set(next: Me | undefined) {
    me = next
    if (next) sessionStorage.setItem('me', JSON.stringify(next))
    else sessionStorage.removeItem('me')
    for (const f of listeners) f()
  },
}

export async function call<T>(path: string, init: { method?: string; body?: unknown } = {}): Promise<T> {
  const headers: Record<string, string> = {}
  if (me) headers.Authorization = `Bearer ${me.token}`
  if (init.body !== undefined) headers['Content-Type'] = 'application/json'
  let res: Response
  try {
    res = await fetch(path, {
      method: init.method,
      headers,
      body: init.body === undefined ? undefined : JSON.stringify(init.body),
    })
  } catch {
    throw new Refusal({ code: 'no-answer', detail: 'The service does not answer.', status: 0 })
  }
  if (res.status === 204) return undefined as T
  const data = await res.json().catch(() => undefined)
  if (!res.ok) {
    if (res.status === 401) session.set(undefined)
    throw new Refusal(
      (data as Problem | undefined) ?? { code: `http-${res.status}`, detail: res.statusText, status: res.status },
    )
  }
  return data as T
}

interface Signed {
  token: string
  name: string
}

/** Signs an operator in with a key. */
export async function signInKey(key: string) {
  const s = await call<Signed>('/v1/sign-in/key', { method: 'POST', body: { key } })
  session.set({ token: s.token, name: s.name, role: 'operator' })
}

/** Signs in as somebody who only watches, with a device key that this browser keeps. */
export async function signInGuest() {
  let device = localStorage.getItem('device')
  if (!device) {
    device = [...crypto.getRandomValues(new Uint8Array(24))].map((b) => b.toString(16).padStart(2, '0')).join('')
    localStorage.setItem('device', device)
  }
  const s = await call<Signed>('/v1/sign-in/device', { method: 'POST', body: { device } })
  session.set({ token: s.token, name: s.name, role: 'guest' })
}

/** Signs in with the key behind # in the address, once, and takes it out of the address. */
export async function signInFromAddress() {
  const key = new URLSearchParams(location.hash.slice(1)).get('key')
  if (!key) return
  history.replaceState(null, '', location.pathname + location.search)
  await signInKey(key)
}

export interface MatchRow {
  id: string
  lobby: string
  ended: string
  result: {
    match: number
    rulebook: string
    because: string
    practice?: boolean
    millis: number
    rounds?: number
    clocks?: string[]
    teams?: {
      team: string
      title: string
      outcome: string
      place: number
      rounds?: number
      fields?: Record<string, unknown>
    }[]
    players: {
      player: string
      name: string
      team?: string
      outcome: string
      place: number
      fields?: Record<string, unknown>
    }[]
  }
}

export interface BookRow {
  name: string
  title: string
  about: string
  version: string
  boards: string[]
  least: number
  most: number
}

/** How long ago something was, in words. */
export function since(iso: string): string {
  const s = Math.max(Math.floor((Date.now() - Date.parse(iso)) / 1000), 0)
  if (s < 60) return `${s} s`
  if (s < 3600) return `${Math.floor(s / 60)} min`
  if (s < 172800) return `${Math.floor(s / 3600)} h`
  return `${Math.floor(s / 86400)} days`
}
