// How the client meets a bad service, with sockets and clocks that are made up: node --test link.mjs
import assert from 'node:assert/strict'
import { beforeEach, mock, test } from 'node:test'
import { Connection, Http, Listing, Refused, Tokens } from '../dist/index.js'

/** A socket that the test is the service of. */
class Pretended {
  readyState = 0
  sent = []
  closed = false
  send(data) { this.sent.push(JSON.parse(data)) }
  close() { this.closed = true } // and never says so, as one that hangs
  opens() { this.readyState = 1; this.onopen?.() }
  fails() { this.onerror({}); this.onclose?.() } // as packages do for Node: an error that nobody hears ends the program
  says(m) { this.onmessage?.({ data: JSON.stringify(m) }) }
}

let sockets
const open = () => { const s = new Pretended(); sockets.push(s); return s }
const last = () => sockets.at(-1)
const settle = async () => { for (let i = 0; i < 20; i++) await Promise.resolve() }
const pass = async (ms) => { for (let left = ms; left > 0; left -= 250) { mock.timers.tick(Math.min(left, 250)); await settle() } }
const field = (no, name, type) => ({ no, name, type, own: true })
const welcome = {
  is: 'welcome', lobby: 'ABCDEF', resume: 'key', hold: 120000, rate: 20, tick: 5, seats: [{ seat: 3, last: 0 }],
  schema: { kinds: [[field(0, 'code', 'text')], null, null, [field(0, 'points', 'integer')]] }, book: { phases: [] },
}
const snapshot = { is: 'snapshot', tick: 5, parts: [[0, 3, 3, 3, 0, 7]] }

beforeEach(() => {
  sockets = []
  mock.timers.reset()
  mock.timers.enable({ apis: ['setTimeout', 'setInterval', 'Date'] })
})

const connection = async (more = {}) => {
  const states = []
  const c = new Connection({ address: 'http://node.example', token: 't', lobby: 'ABCDEF', open,
    onState: (s) => states.push(s), ...more })
  await settle()
  return { c, states }
}
const greeted = async (socket) => { socket.opens(); await settle(); socket.says(welcome); socket.says(snapshot); await settle() }

test('an error of a socket is heard, and the next attempt follows', async () => {
  const { states } = await connection()
  last().fails()
  await settle()
  assert.equal(states.at(-1), 'away')
  await pass(1000)
  assert.ok(sockets.length > 1)
})

test('a connection that is taken and never answered is given up, and the next attempt has a socket of its own', async () => {
  const { c, states } = await connection()
  const first = last()
  await pass(8000)
  assert.ok(first.closed && states.at(-1) === 'away', 'one that never opens')
  await pass(200)
  const second = last()
  assert.notEqual(second, first)
  second.opens()
  await settle()
  await pass(8500)
  assert.ok(second.closed, 'one that opens, and does not answer hello')
  await pass(400)
  const third = last()
  await greeted(third)
  first.opens() // much too late: nobody hears it
  first.says({ ...welcome, seats: [{ seat: 9, last: 0 }] })
  await settle()
  assert.deepEqual(first.sent, [])
  assert.deepEqual([c.state, c.seats, third.sent.filter((m) => m.is === 'hello').length], ['open', [3], 1])
  c.close()
})

test('a service that falls silent is noticed within 15 seconds', async () => {
  const { c, states } = await connection()
  await greeted(last())
  for (let i = 0; i < 10; i++) {
    await pass(5000)
    last().says({ is: 'ping', n: i, tick: 5 })
  }
  assert.equal(states.at(-1), 'open')
  await pass(15000)
  assert.ok(states.includes('away') && sockets.length > 1)
  c.close()
})

test('slow tokens: hello is said once, with the token of that attempt', async () => {
  const asked = []
  const { c } = await connection({ tokens: () => new Promise((resolve) => asked.push(resolve)) })
  last().opens()
  await settle()
  await pass(8500) // the token takes longer than the attempt
  await pass(400)
  last().opens()
  await settle()
  asked[0]('old')
  asked[1]('new')
  await settle()
  assert.deepEqual(sockets.map((s) => s.sent.map((m) => m.token)), [[], ['new']])
  c.close()
})

test('what was answered and is undone is told, once, and only of another branch', async () => {
  const undone = []
  const { c } = await connection({ onUndone: (u) => undone.push(u) })
  const back = async (branch, last_) => {
    const s = last()
    s.opens()
    await settle()
    s.says({ ...welcome, branch, seats: [{ seat: 3, last: last_ }] })
    s.says(snapshot)
    await settle()
    return s
  }
  const again = async () => { c.cut(); last().onclose?.({}); await pass(1000) }
  const first = await back('one', 0)
  for (let n = 1; n <= 3; n++) {
    const v = c.send({ do: 'ready' })
    first.says({ is: 'verdict', seat: 3, n, ok: true, tick: 6 })
    await v
  }
  await again()
  const second = await back('one', 3)
  const hello = second.sent.find((m) => m.is === 'hello')
  assert.deepEqual([hello.tick, hello.branch], [5, 'one'])
  await again()
  const third = await back('two', 1)
  assert.deepEqual(undone, [{ seat: 3, last: 1, heard: 3 }])
  c.send({ do: 'ready' }).catch(() => {})
  assert.equal(third.sent.at(-1).n, 4, 'numbers go on')
  await again()
  await back('three', 1)
  assert.equal(undone.length, 1)
  c.close()
})

test('a callback that throws stops nothing', async () => {
  const errors = []
  const { c } = await connection({ onChange: () => { throw new Error('mine') }, onError: (e) => errors.push(e.message) })
  await greeted(last())
  let told = 0
  c.watch({ sheet: 3, field: 'points' }, () => { told++; throw new Error('mine too') })
  const verdict = c.send({ do: 'act', name: 'x' }, { field: 'points', value: 9 })
  last().says({ is: 'verdict', seat: 3, n: 1, ok: false, tick: 6, code: 'not-now' })
  assert.equal((await verdict).ok, false)
  last().says({ is: 'delta', tick: 6, on: 5, parts: [[3, 0, 8]] })
  assert.equal(c.me.num('points'), 8)
  assert.ok(told > 2 && errors.includes('mine') && errors.includes('mine too'))
  c.close()
})

test('a feed comes back by itself, and one that is refused does not', async () => {
  const lost = []
  const listing = new Listing({ address: 'http://node.example', token: 't', open, onLost: (b) => lost.push(b.code) })
  await settle()
  last().opens()
  await settle()
  last().says({ is: 'listing', lobbies: [{ code: 'ABCDEF' }] })
  await pass(15000)
  assert.deepEqual(lost.slice(0, 1), ['lost'])
  assert.ok(listing.lobbies.has('ABCDEF'), 'what was known stays')
  last().opens()
  await settle()
  last().says({ is: 'listing', lobbies: [] })
  assert.equal(listing.lobbies.size, 0)
  const count = sockets.length
  last().says({ is: 'bye', code: 'bad-token', reason: 'run out', again: false })
  await pass(60000)
  assert.deepEqual([lost.at(-1), sockets.length], ['bad-token', count])
  listing.close()
})

const in15 = () => new Date(Date.now() + 900000).toISOString()

test('a token is renewed once, however many ask, before it runs out and when it is refused', async () => {
  let renewed = 0
  const release = []
  const tokens = new Tokens(() => new Promise((resolve) => { renewed++; release.push(() => resolve({ token: `t${renewed}`, expires: in15() })) }))
  const seen = []
  const fetch = async (_, init) => {
    const token = init.headers.authorization
    seen.push(token)
    return token === 'Bearer t1' && spoilt
      ? Response.json({ code: 'bad-token', detail: 'run out' }, { status: 401 })
      : Response.json({ keys: [] })
  }
  let spoilt = false
  const http = new Http({ address: '', tokens, fetch })
  const five = Promise.all([1, 2, 3, 4, 5].map(() => http.call('GET /v1/keys')))
  await settle()
  release[0]()
  await five
  assert.deepEqual([renewed, seen.length], [1, 5])
  spoilt = true
  const again = Promise.all([http.call('GET /v1/keys'), http.call('GET /v1/keys')])
  while (release.length < 2) await new Promise((r) => setImmediate(r))
  release[1]()
  await again
  assert.deepEqual([renewed, seen.at(-1)], [2, 'Bearer t2'])
  mock.timers.tick(900000 - 29000)
  const later = http.call('GET /v1/keys')
  await settle()
  release[2]()
  await later
  assert.equal(renewed, 3, 'one that is about to run out is not used')
})

test('a call that is not answered ends at its deadline, and one that is aborted at once', async () => {
  const fetch = (_, init) => new Promise((_, reject) => init.signal.addEventListener('abort', () => reject(new Error('fetch'))))
  const http = new Http({ address: '', fetch })
  const late = http.call('GET /v1/lobbies', { deadline: 3000 })
  const refused = assert.rejects(late, (e) => e instanceof Refused && e.code === 'no-answer' && /3 s/.test(e.message))
  await settle()
  mock.timers.tick(3000)
  await refused
  const stop = new AbortController()
  const aborted = assert.rejects(http.call('GET /v1/lobbies/{code}', { path: { code: 'A/B' }, signal: stop.signal }), /enough/)
  await settle()
  stop.abort(new Error('enough'))
  await aborted
  const asked = []
  const answers = new Http({ address: 'http://node.example', fetch: async (url) => { asked.push(url); return Response.json(
    { code: 'stopping', detail: 'later' }, { status: 503, headers: { 'retry-after': '3' } }) } })
  await assert.rejects(answers.call('GET /v1/lobbies/{code}', { path: { code: 'A/B' } }), (e) => e.status === 503 && e.after === 3)
  assert.deepEqual(asked, ['http://node.example/v1/lobbies/A%2FB'])
})

test('what is sent before there is a seat goes when there is one', async () => {
  const { c } = await connection()
  const sent = c.send({ do: 'ready' }, { field: 'points', value: 9 })
  last().opens()
  await settle()
  last().says(welcome)
  await settle()
  assert.equal(last().sent.filter((m) => m.is === 'intent').length, 0)
  last().says(snapshot)
  await settle()
  assert.deepEqual(last().sent.filter((m) => m.is === 'intent'), [{ is: 'intent', do: 'ready', seat: 3, n: 1 }])
  assert.equal(c.me.num('points'), 9, 'and what is expected of it is shown')
  last().says({ is: 'verdict', seat: 3, n: 1, ok: true, tick: 6 })
  assert.equal((await sent).ok, true)
  c.close()
  await assert.rejects(c.send({ do: 'ready' }), /has ended/)
  const { c: early } = await connection()
  const never = assert.rejects(early.send({ do: 'ready' }), /was closed/)
  early.close()
  await never
  const { c: watcher } = await connection({ watch: true })
  last().opens()
  await settle()
  last().says({ ...welcome, seats: [] })
  last().says(snapshot)
  await assert.rejects(watcher.send({ do: 'ready' }), /no seat/)
  watcher.close()
})

test('why there is no connection is said: no token, or a page that is not admitted', async () => {
  const told = []
  const { c } = await connection({ tokens: () => Promise.reject(new Error('signed out')), onState: (s, why) => told.push([s, why?.code, why?.reason]) })
  last().opens()
  await settle()
  assert.deepEqual(told, [['away', 'no-token', 'there is no token: Error: signed out']])
  c.close()
  globalThis.location = { origin: 'http://game.example' }
  try {
    told.length = 0
    const { c } = await connection({ onState: (s, why) => told.push([s, why?.reason]) })
    last().onclose?.()
    await settle()
    assert.deepEqual(told, [['away', 'http://node.example cannot be reached, or does not admit pages from http://game.example: its setting -origins']])
    c.close()
  } finally {
    delete globalThis.location
  }
})

test('fractions are rounded where integers are meant, and what is no number is refused at the call', async () => {
  const { c } = await connection()
  await greeted(last())
  c.send({ do: 'steer', at: [0.4, -999.7], yaw: 65535.6, pitch: -0.5 }).catch(() => {})
  const { at, yaw, pitch } = last().sent.at(-1)
  assert.deepEqual([at, yaw, pitch + 0], [[0, -1000], 0, 0])
  await assert.rejects(c.send({ do: 'steer', at: [Number.NaN, 0] }), /NaN is not a number/)
  await assert.rejects(c.send({ do: 'steer', at: [1e300, 0] }), /not a number/)
  assert.deepEqual([c.state, last().sent.filter((m) => m.is === 'intent').length], ['open', 1])
  c.close()
})

test('do throws what is refused, and wait returns when something holds, by a change or by the clock', async () => {
  const { c } = await connection()
  const seated = c.wait(() => c.me)
  await greeted(last())
  await seated
  const act = c.do({ do: 'act', name: 'ram' })
  const had = c.wait((copy) => copy.sheet(3).num('points') === 8)
  let late = false
  const clock = c.wait(() => late)
  last().says({ is: 'verdict', seat: 3, n: 1, ok: false, tick: 6, code: 'cooldown', reason: 'wait a little' })
  await assert.rejects(act, (e) => e instanceof Refused && e.code === 'cooldown' && e.message === 'wait a little')
  last().says({ is: 'delta', on: 5, tick: 6, parts: [[3, 0, 8]] })
  await had
  late = true
  await pass(100)
  await clock
  await assert.rejects(c.wait(() => { throw new Error('a mistake') }), /a mistake/)
  await assert.rejects(c.wait(() => false, AbortSignal.abort(new Error('enough'))), /enough/)
  const never = assert.rejects(c.wait(() => false), /was closed/)
  c.close()
  await never
})

test('what is seen again in a snapshot is drawn where it is, and not on the way from where it was', async () => {
  const { c } = await connection()
  last().opens()
  await settle()
  const kinds = [null, null, null, [field(0, 'pos', 'position')]]
  last().says({ ...welcome, schema: { kinds } })
  const shows = (tick, ...values) => last().says({ is: 'snapshot', tick, parts: [[0, 3, 3, 3, ...values]] })
  shows(5, 0, [1000, 0])
  shows(6) // out of sight
  shows(7, 0, [9000, 0])
  assert.deepEqual(c.me.track.seen.map((s) => [s.tick, s.x]), [[7, 9000]])
  shows(8, 0, [9100, 0])
  assert.deepEqual(c.me.track.seen.map((s) => [s.tick, s.x]), [[7, 9000], [8, 9100]])
  last().says({ is: 'snapshot', tick: 2, parts: [[0, 3, 3, 3, 0, [500, 0]]] }) // from before
  assert.deepEqual(c.me.track.seen.map((s) => [s.tick, s.x]), [[2, 500]])
  c.close()
})
