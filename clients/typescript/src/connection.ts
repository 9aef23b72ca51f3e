import { Copy, Schema, plain, type Change, type Sheet } from './copy.ts'
import { json, openSocket } from './encoding.ts'
import { Estimate } from './estimate.ts'
import { Backoff, Link } from './link.ts'
import { whole, type Expected, type Options, type State, type Heard } from './options.ts'
import { Refused } from './refused.ts'
import { roughen } from './rough.ts'
import { Frame, Screen } from './screen.ts'
import { between, type Place } from './track.ts'
import { Watchers, type On } from './watch.ts'
import {
  liveAddress,
  type Bye,
  type Intent,
  type Message,
  type Notice,
  type Part,
  type Seated,
  type Verdict,
  type Welcome,
} from './wire.ts'

interface Open {
  message: Record<string, unknown>
  resolve: (v: Verdict) => void
  reject: (e: Error) => void
  ends: (() => Change | undefined)[]
}

const SILENCE = 15000
const PING_EVERY = 2000
const FIRST_PINGS = 4

/** A live connection: it keeps a copy of what it may see and comes back when it is lost. */
export class Connection {
  state: State = 'connecting'
  copy?: Copy
  seats: number[] = []
  /** The place in line when it was joined, 0 with a seat. */
  waiting = 0
  /** Why the service ended the connection before this one, if it did. */
  lostFor?: Bye

  private readonly link: Link
  private readonly backoff = new Backoff()
  private key?: string
  private hold = 0
  private lostAt = 0
  /** The lobby is at another node, which it is looked for at once. */
  private moved = false
  /** The addresses of nodes that are known, that of the lobby's first. */
  private nodes: string[]
  private pinger?: ReturnType<typeof setTimeout>
  private whole = false
  private leaving = false
  private frozen?: { tick: number; parts: Part[] }
  private pings = new Map<number, number>()
  private readonly next = new Map<number, number>()
  /** The last answered intent of each seat. */
  private readonly heard = new Map<number, number>()
  /** Of the lobby's history. */
  private branch?: string
  private readonly open = new Map<string, Open>()
  private locals = 0
  private readonly seating = new Map<number, (m: Seated) => void>()
  /** What is expected until a referee has decided. */
  private readonly deciding = new Map<string, Open>()
  private readonly time = new Estimate()
  private readonly screen = new Screen()
  private readonly drawn: Frame
  private readonly watchers: Watchers
  /** Who waits for something. */
  private readonly waiters = new Set<() => void>()
  /** Why it has ended. */
  private over?: Error

  constructor(readonly options: Options) {
    this.nodes = [options.address]
    this.drawn = new Frame(options.ahead?.())
    const open = options.open ?? openSocket
    const call = (f: () => void) => this.call(f)
    this.watchers = new Watchers(call)
    this.link = new Link({
      encoding: options.encoding ?? json,
      open: options.rough ? roughen(open, options.rough) : open,
      address: () => liveAddress(this.nodes[0]!),
      hello: () => this.hello(),
      onMessage: (m) => this.message(m),
      onDown: (wasUp, why) => this.lost(wasUp, why),
      onError: options.onError,
    })
  }

  /** The own player's sheet, undefined for a spectator. */
  get me(): Sheet | undefined {
    return this.copy?.sheet(this.seats[0] ?? 0, 'player')
  }

  /** The service's present wall tick, as far as can be known here: at a steady delay right to one tick. */
  tick(): number {
    return Math.floor(this.exactTick())
  }

  /** The same with its fraction, for showing what moves between ticks. */
  exactTick(): number {
    return this.time.exact(now())
  }

  /** The shortest of the last round trips, in milliseconds. */
  get trip(): number {
    return this.time.trip
  }

  /** What a clock field shows now, in milliseconds. */
  clock(sheet: Sheet | undefined, name: string): number {
    return this.copy?.clock(sheet, name, this.tick()) ?? 0
  }

  /**
   * The match as it is to be drawn now: a little in the past, by as much as what comes
   * is late, so that there is a later place to draw everything towards. Call it in
   * each frame; it is the same object each time.
   */
  frame(): Frame {
    this.drawn.at = this.screen.frame(this.exactTick(), this.time.rate)
    this.drawn.own?.frame(this.copy, this.seats, now(), this.exactTick(), this.time.up)
    return this.drawn
  }

  /** Where a player, creature or piece was at a tick, in millimetres. To draw it, see frame. */
  place(sheet: Sheet | undefined, tick: number): Place {
    return between(sheet?.track.seen ?? [], tick)
  }

  /**
   * Calls f for each change that is wanted, until the function that is returned is
   * called. What is there already is told at once in the same way, with first set.
   */
  watch(on: On, f: (change: Change) => void): () => void {
    return this.watchers.add(on, f, this.copy)
  }

  /**
   * Sends an intent, once there is a seat; the promise gives its verdict, refused or not. What is expected
   * of it is shown until then, and taken back where the service decides otherwise.
   */
  send(intent: Intent, ...expected: Expected[]): Promise<Verdict> {
    const seat = intent.seat ?? this.seats[0]
    if (seat === undefined && !this.copy?.sheets.size)
      return this.wait(() => true).then(() => this.send(intent, ...expected))
    if (seat === undefined)
      return Promise.reject(new Error('there is no seat, or none yet: who watches or waits sends no intents'))
    let asked: Intent
    try {
      asked = whole(intent)
    } catch (e) {
      return Promise.reject(e as Error)
    }
    const n = (this.next.get(seat) ?? 0) + 1
    this.next.set(seat, n)
    return new Promise((resolve, reject) => {
      if (this.state === 'ended') return reject(new Error('the connection has ended'))
      const shown: ReturnType<Copy['expect']>[] = []
      try {
        for (const e of expected) shown.push(this.copy!.expect(e.sheet ?? seat, e.field, e.value))
      } catch (e) {
        for (const s of shown) s.end() // all of it is shown, or nothing
        return reject(e as Error)
      }
      const tick =
        asked.do === 'steer' && asked.at && this.copy
          ? this.drawn.own?.asked(this.copy, seat, n, asked.at, now(), this.exactTick(), this.time.up)
          : undefined
      const message = { is: 'intent', ...asked, seat, n, tick }
      this.open.set(`${seat}/${n}`, { message, resolve, reject, ends: shown.map((s) => s.end) })
      this.tell(shown.map((s) => s.change))
      this.write(message) // if it fails, it is sent again after coming back
    })
  }

  /** As send, but what is refused is thrown: a Refused with its code. */
  async do(intent: Intent, ...expected: Expected[]): Promise<Verdict> {
    const verdict = await this.send(intent, ...expected)
    if (!verdict.ok) throw new Refused(verdict.code ?? '', verdict.reason ?? '')
    return verdict
  }

  /**
   * Waits until something holds for the copy: at once, after a change, or when a
   * running clock has come to it. It fails when the connection ends first, or the
   * signal says so.
   */
  wait(holds: (copy: Copy) => unknown, signal?: AbortSignal): Promise<void> {
    return new Promise((resolve, reject) => {
      const done = (settle: () => void) => {
        clearInterval(timer)
        this.waiters.delete(look)
        settle()
      }
      const look = () => {
        try {
          signal?.throwIfAborted()
          if (this.state === 'ended') throw this.over ?? new Error('the connection has ended')
          if (this.copy?.sheets.size && holds(this.copy)) done(resolve)
        } catch (e) {
          done(() => reject(e as Error))
        }
      }
      const timer = setInterval(look, 1000 / (this.time.rate || 20))
      this.waiters.add(look)
      look()
    })
  }

  /** Ends the connection. The seats are held for a while; see leave. */
  close() {
    this.end({ is: 'bye', code: 'closed', reason: 'the connection was closed', again: false })
  }

  /** Breaks the connection as a bad network would; it comes back by itself. */
  cut() {
    this.link.cut()
  }

  /** Gives the seats up, when the connection is back if it is away; the service then ends it. */
  leave() {
    this.leaving = true
    this.write({ is: 'leave' })
  }

  /**
   * Brings a further player onto the connection, who shares the screen: a guest with a name, or whoever the token is
   * of, with their own name, record and results. The promise gives the seat.
   */
  addLocal({ name, token, team }: { name?: string; token?: string; team?: string }): Promise<number> {
    const n = ++this.locals
    return new Promise((resolve, reject) => {
      if (this.state !== 'open') return reject(new Error('the connection is away'))
      this.seating.set(n, (m) => (m.ok ? resolve(m.seat ?? 0) : reject(new Error(m.reason ?? m.code))))
      this.write({ is: 'local', n, name, token, team })
    })
  }

  /** Gives the seat of a further player on the connection up. */
  leaveSeat(seat: number) {
    this.write({ is: 'leave', seat })
  }

  private async hello(): Promise<Record<string, unknown>> {
    const { token, tokens, lobby, watch, all, as, team, locals, password, version, wait } = this.options
    const given = tokens ? await tokens() : token
    const tick = this.key && this.copy && !this.whole ? this.copy.tick : undefined
    const what = { lobby, watch, all, as, team, locals, password, version, wait }
    const branch = tick === undefined ? undefined : this.branch
    return { is: 'hello', token: given, ...what, resume: this.key, tick, branch }
  }

  private write(message: Record<string, unknown>) {
    if (this.state === 'open') this.link.send(message)
  }

  /** Calls back; an error of whoever is called is theirs alone. */
  private call(f: () => void) {
    this.link.safely(f)
  }

  private message(m: Message) {
    switch (m.is) {
      case 'welcome':
        return this.welcome(m)
      case 'snapshot':
        return this.changed(m.tick, () => this.copy!.replace(m.parts, m.tick))
      case 'delta':
        if (this.whole) return // a snapshot is on its way
        if (this.copy?.tick !== m.on) return this.askWhole()
        this.screen.heard(m.on, m.tick, this.exactTick())
        return this.changed(m.tick, () => this.copy!.apply(m.parts, m.tick))
      case 'verdict':
        return this.answered(m)
      case 'notice':
        if (m.name === 'decided') this.judged(`${m.of ?? 0}/${String(m.with?.intent)}`)
        return this.call(() => this.options.onNotice?.(this.told(m)))
      case 'series':
        return this.call(() => this.options.onSeries?.(m))
      case 'seated':
        this.seating.get(m.n ?? 0)?.(m)
        this.seating.delete(m.n ?? 0)
        return
      case 'still':
        return this.call(() => this.options.onStill?.(m))
      case 'missed':
        return this.call(() => this.options.onMissed?.(m.notices))
      case 'differs':
        return this.call(() => this.options.onDiffers?.(m.fields))
      case 'check':
        return this.checked(m.tick)
      case 'show':
        if (this.frozen?.tick === m.tick) this.write({ is: 'shown', ...this.frozen })
        return
      case 'ping':
        this.time.heard(m.tick ?? 0, now())
        return this.link.send({ is: 'pong', n: m.n })
      case 'pong':
        return this.pong(m.n, (m.tick ?? 0) + (m.part ?? 0) / 1000)
      case 'bye':
        if (!m.again) return this.end(m)
        this.moved = m.at !== undefined
        if (m.at) this.nodes = [m.at, ...this.nodes.filter((n) => n !== m.at)]
        return this.link.cut()
    }
  }

  private welcome(m: Welcome) {
    this.key = m.resume
    this.hold = m.hold
    this.waiting = m.waiting ?? 0
    this.lostFor = m.ended
    this.lostAt = 0
    this.backoff.reset()
    this.link.greeted()
    for (const n of m.nodes ?? []) if (!this.nodes.includes(n)) this.nodes.push(n)
    this.seats = m.seats.map((s) => s.seat)
    for (const { seat, last } of m.seats) {
      const heard = this.heard.get(seat) ?? 0
      this.next.set(seat, Math.max(this.next.get(seat) ?? 0, last))
      this.heard.set(seat, last)
      if (this.branch !== undefined && this.branch !== m.branch && heard > last)
        this.call(() => this.options.onUndone?.({ seat, last, heard }))
    }
    if (this.branch !== m.branch) this.drawn.own?.forget()
    this.branch = m.branch
    if (m.schema && m.book) {
      const fresh = new Copy(new Schema(m.schema), m.book, m.rate)
      if (this.copy) {
        fresh.sheets = this.copy.sheets
        fresh.tick = this.copy.tick
      }
      this.copy = fresh
    }
    this.unjudged() // what was decided meanwhile may have been missed
    this.time.rate = m.rate
    this.time.reset()
    this.time.heard(m.tick, now())
    this.pings.clear()
    clearTimeout(this.pinger)
    this.become('open')
    this.ping(1)
    for (const o of this.open.values()) this.write(o.message)
    if (this.leaving) this.write({ is: 'leave' })
  }

  /** Measures the round trip now and then. */
  private ping(n: number) {
    this.pings.set(n, now())
    this.pings.delete(n - 8)
    this.write({ is: 'ping', n })
    this.pinger = setTimeout(() => this.ping(n + 1), n < FIRST_PINGS ? PING_EVERY / 20 : PING_EVERY)
  }

  private pong(n: number, tick: number) {
    const sent = this.pings.get(n)
    if (sent !== undefined) this.time.measured(sent, now(), tick)
    this.pings.delete(n)
  }

  private changed(tick: number, apply: () => Change[]) {
    if (!this.copy) return
    let changes: Change[]
    try {
      changes = apply()
    } catch {
      return this.askWhole()
    }
    this.whole = false
    this.time.heard(tick, now())
    this.tell(changes)
    for (const look of [...this.waiters]) look()
    if (changes.some((c) => c.sheet.kind === 'match' && (c.gone || c.field?.name === 'over'))) this.unjudged()
  }

  /** A notice with values as sheets show them. */
  private told(n: Notice): Heard {
    const fields = this.copy?.book.notices?.find((x) => x.name === n.name)?.fields ?? []
    const raw = n.with ?? {}
    const shown = Object.entries(raw).map(([name, v]) => {
      const f = fields.find((f) => f.name === name)
      return [name, f ? plain(f, v)! : v] as const
    })
    return { ...n, with: Object.fromEntries(shown), raw }
  }

  /** Ends what was expected of an intent on which a referee has decided. */
  private judged(key: string) {
    const o = this.deciding.get(key)
    this.deciding.delete(key)
    if (o) this.undo(o)
  }

  /** Ends what was expected of intents on which nobody will decide any more. */
  private unjudged() {
    for (const key of [...this.deciding.keys()]) this.judged(key)
  }

  private tell(changes: Change[]) {
    if (changes.length === 0 || !this.copy) return
    const { copy } = this
    this.call(() => this.options.onChange?.(changes, copy))
    this.watchers.tell(changes)
  }

  /** Asks for a snapshot, because the copy is not to be trusted. */
  private askWhole() {
    this.whole = true
    this.write({ is: 'whole' })
  }

  private checked(tick: number) {
    if (this.copy?.tick !== tick) return // a snapshot is on its way
    this.frozen = { tick, parts: this.copy.parts() }
    this.write({ is: 'hash', tick, hash: this.copy.hash() })
  }

  private answered(v: Verdict) {
    const k = `${v.seat}/${v.n}`
    const o = this.open.get(k)
    this.open.delete(k)
    if (!o) return
    this.heard.set(v.seat, Math.max(this.heard.get(v.seat) ?? 0, v.n))
    this.drawn.own?.answered(v.seat, v.n, v.ok, v.tick)
    if (v.ok && v.waits && o.ends.length > 0) this.deciding.set(k, o)
    else this.undo(o)
    o.resolve(v)
  }

  private undo(o: Open) {
    this.tell(o.ends.map((end) => end()).filter((c) => c !== undefined))
  }

  /** Why there is no connection, as far as more can be known here than that it was lost. */
  private trouble(why?: unknown): Bye | undefined {
    const bye = { is: 'bye', code: 'lost', again: true } as const
    if (why !== undefined) return { ...bye, code: 'no-token', reason: `there is no token: ${String(why)}` }
    if (this.copy) return undefined
    const page = (globalThis as { location?: { origin?: string } }).location?.origin
    const reason = `${this.nodes[0]} cannot be reached`
    return { ...bye, reason: page ? `${reason}, or does not admit pages from ${page}: its setting -origins` : reason }
  }

  /** The connection is lost, or could not be made: gives how long to wait for the next attempt. */
  private lost(wasUp: boolean, failed?: unknown): number | undefined {
    const why = this.trouble(failed)
    clearTimeout(this.pinger)
    for (const f of this.seating.values())
      f({ is: 'seated', ok: false, code: 'lost', reason: 'the connection was lost' })
    this.seating.clear()
    const { moved } = this
    this.moved = false
    if (!wasUp && !moved) this.nodes.push(this.nodes.shift()!) // the node may be gone: others know where it is
    this.lostAt ||= now()
    if (now() - this.lostAt > (this.options.patience ?? Math.max(this.hold, SILENCE))) {
      this.end(why ?? { is: 'bye', code: 'lost', reason: 'the connection was lost', again: true })
      return undefined
    }
    this.become('away', this.state === 'away' ? undefined : why)
    return moved ? 0 : this.backoff.next()
  }

  private become(state: State, why?: Bye) {
    if (this.state === state && !why) return
    this.state = state
    this.call(() => this.options.onState?.(state, why))
  }

  private end(why: Bye) {
    if (this.state === 'ended') return
    clearTimeout(this.pinger)
    this.state = 'ended'
    this.link.end()
    for (const o of this.open.values()) {
      this.undo(o)
      o.reject(new Error(why.reason))
    }
    this.open.clear()
    this.over = new Error(why.reason)
    for (const look of [...this.waiters]) look()
    this.call(() => this.options.onState?.('ended', why))
  }
}

function now(): number {
  return performance.now()
}
