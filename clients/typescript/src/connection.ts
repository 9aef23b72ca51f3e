import { Copy, Schema, type Change } from './copy.ts'
import type { Bye, Intent, Message, Notice, Verdict, Welcome } from './wire.ts'
import { liveAddress, subprotocols } from './wire.ts'

export interface Options {
  /** Of the service, such as http://127.0.0.1:7420. */
  address: string
  token: string
  /** Join code. */
  lobby: string
  /** As a spectator, without a seat. */
  watch?: boolean
  /** Operators: see everything. */
  all?: boolean
  /** Operators: see exactly what this seat sees. */
  as?: number
  team?: string
  /** Names of further players on this connection. */
  locals?: string[]
  /** Of the lobby, if it has one. */
  password?: string
  /** Of the rulebook; refused if the lobby runs another one. */
  version?: string
  /** Stand in line if the lobby is full; meanwhile one sees what a spectator sees. */
  wait?: boolean
  /** Gives the token for each new connection instead of token, which may have run out meanwhile. */
  tokens?: () => Promise<string>
  /** Milliseconds to keep trying after a lost connection; what the service holds seats for if not given. */
  patience?: number
  onChange?: (changes: Change[], copy: Copy) => void
  onNotice?: (notice: Notice) => void
  /** Called when the connection comes, goes away for a while, or ends for good. */
  onState?: (state: State, why?: Bye) => void
}

export type State = 'connecting' | 'open' | 'away' | 'ended'

interface Open {
  message: string
  resolve: (v: Verdict) => void
  reject: (e: Error) => void
}

/** A live connection: it keeps a copy of what it may see and comes back when it is lost. */
export class Connection {
  state: State = 'connecting'
  copy?: Copy
  seats: number[] = []

  private socket?: WebSocket
  private key?: string
  private hold = 0
  private lostAt = 0
  private wait = 100
  private timer?: ReturnType<typeof setTimeout>
  /** The place in line when it was joined, 0 with a seat. */
  waiting = 0
  private readonly next = new Map<number, number>()
  private readonly open = new Map<string, Open>()
  private tickAt = 0
  private tickBase = 0

  constructor(readonly options: Options) {
    this.connect()
  }

  /** The service's present wall tick, as far as can be known here. */
  tick(): number {
    return this.tickBase + Math.floor(((now() - this.tickAt) * (this.copy?.rate ?? 0)) / 1000)
  }

  /** What a clock field shows now, in milliseconds. */
  clock(sheet: Parameters<Copy['clock']>[0], name: string): number {
    return this.copy?.clock(sheet, name, this.tick()) ?? 0
  }

  /** Sends an intent; the promise gives its verdict, refused or not. */
  send(intent: Intent): Promise<Verdict> {
    const seat = intent.seat ?? this.seats[0] ?? 0
    const n = (this.next.get(seat) ?? 0) + 1
    this.next.set(seat, n)
    const message = JSON.stringify({ is: 'intent', ...intent, seat, n })
    return new Promise((resolve, reject) => {
      if (this.state === 'ended') return reject(new Error('the connection has ended'))
      this.open.set(`${seat}/${n}`, { message, resolve, reject })
      this.write(message) // if it fails, it is sent again after coming back
    })
  }

  /** Ends the connection. The seats are held for a while; see leave. */
  close() {
    this.end({ is: 'bye', code: 'closed', reason: 'the connection was closed', again: false })
  }

  /** Gives the seats up; the service then ends the connection. */
  leave() {
    this.write(JSON.stringify({ is: 'leave' }))
  }

  private connect() {
    const { address, token, tokens, lobby, watch, all, as, team, locals, password, version, wait } = this.options
    const socket = new WebSocket(liveAddress(address), subprotocols)
    this.socket = socket
    const hello = (token: string) =>
      this.write(JSON.stringify({ is: 'hello', token, lobby, watch, all, as, team, locals, password, version, wait, resume: this.key }))
    socket.onopen = () => {
      if (tokens) tokens().then(hello, () => socket.close())
      else hello(token)
    }
    socket.onmessage = (e) => {
      if (socket === this.socket) this.message(JSON.parse(String(e.data)) as Message)
    }
    socket.onclose = () => {
      if (socket === this.socket && this.state !== 'ended') this.lost()
    }
  }

  private write(message: string) {
    if (this.socket?.readyState === 1) this.socket.send(message)
  }

  private message(m: Message) {
    switch (m.is) {
      case 'welcome':
        this.welcome(m)
        break
      case 'snapshot':
        this.changed(m.tick, () => this.copy!.replace(m.parts))
        break
      case 'delta':
        if (this.copy && this.copy.tick !== m.on) this.write(JSON.stringify({ is: 'whole' }))
        else this.changed(m.tick, () => this.copy!.apply(m.parts))
        break
      case 'verdict': {
        const k = `${m.seat}/${m.n}`
        this.open.get(k)?.resolve(m)
        this.open.delete(k)
        break
      }
      case 'notice':
        this.options.onNotice?.(m)
        break
      case 'ping':
        this.setTick(m.tick ?? 0)
        this.write(JSON.stringify({ is: 'pong', n: m.n }))
        break
      case 'bye':
        if (m.again) this.lost()
        else this.end(m)
    }
  }

  private welcome(m: Welcome) {
    this.key = m.resume
    this.hold = m.hold
    this.waiting = m.waiting ?? 0
    this.lostAt = 0
    this.wait = 100
    this.seats = m.seats.map((s) => s.seat)
    for (const s of m.seats) this.next.set(s.seat, Math.max(this.next.get(s.seat) ?? 0, s.last))
    const fresh = new Copy(new Schema(m.schema), m.book, m.rate)
    if (this.copy) fresh.sheets = this.copy.sheets
    this.copy = fresh
    this.tickAt = 0
    this.setTick(m.tick)
    this.become('open')
    for (const o of this.open.values()) this.write(o.message)
  }

  private changed(tick: number, apply: () => Change[]) {
    if (!this.copy) return
    let changes: Change[]
    try {
      changes = apply()
    } catch {
      this.write(JSON.stringify({ is: 'whole' })) // the copy is not to be trusted: ask for a new one
      return
    }
    this.copy.tick = tick
    this.setTick(tick)
    this.options.onChange?.(changes, this.copy)
  }

  private setTick(tick: number) {
    const expected = this.tick()
    if (this.tickAt === 0 || tick >= expected || expected - tick > (this.copy?.rate ?? 0)) {
      this.tickBase = tick
      this.tickAt = now()
    }
  }

  private lost() {
    this.socket = undefined
    this.lostAt ||= now()
    if (now() - this.lostAt > (this.options.patience ?? Math.max(this.hold, 15000))) {
      this.end({ is: 'bye', code: 'lost', reason: 'the connection was lost', again: true })
      return
    }
    this.become('away')
    this.timer = setTimeout(() => this.connect(), this.wait * (0.5 + Math.random()))
    this.wait = Math.min(this.wait * 2, 5000)
  }

  private become(state: State, why?: Bye) {
    if (this.state === state && !why) return
    this.state = state
    this.options.onState?.(state, why)
  }

  private end(why: Bye) {
    if (this.state === 'ended') return
    clearTimeout(this.timer)
    const socket = this.socket
    this.socket = undefined
    socket?.close()
    for (const o of this.open.values()) o.reject(new Error(why.reason))
    this.open.clear()
    this.become('ended', why)
  }
}

function now(): number {
  return performance.now()
}
