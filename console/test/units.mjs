// The parts of the console that reckon, without a page: vite build --ssr test/units.mjs, then node --test.
import assert from 'node:assert/strict'
import { readFileSync } from 'node:fs'
import { test } from 'node:test'
import { Copy, Schema } from 'turnvex-client'
import { since } from '../src/app/words.ts'
import { lay, nodeHeight } from '../src/editor/graph.ts'
import { functionHelp, keyHelp } from '../src/editor/reference.ts'
import { follow, pathAt } from '../src/editor/schema.ts'
import { isBar, shortClock, shown, standing } from '../src/match/fields.ts'
import { Comparison, Recorder } from '../src/match/frames.ts'
import { serial } from '../src/match/serial.ts'
import { RecordedSource } from '../src/match/source.ts'

globalThis.document ??= { hidden: true }

const field = (no, name, type, more = {}) => ({ no, name, type, own: true, ...more })
const described = {
  kinds: [
    [field(0, 'code', 'text')],
    [field(0, 'number', 'integer', { own: false }), field(1, 'wave', 'integer')],
    [field(0, 'title', 'text', { own: false })],
    [
      field(0, 'name', 'text', { own: false }),
      field(1, 'hull', 'integer', { min: 0, max: 100 }),
      field(2, 'points', 'integer', { min: 0, max: 150 }),
      field(3, 'best', 'integer', { show: 'time' }),
      field(4, 'place', 'integer', { own: false }),
      field(5, 'wind', 'number', { min: 0, max: 50000, see: 'owner' }),
    ],
  ],
}
const book = { phases: [], actions: [] }
const player = (id, name, ...values) => [0, id, 3, id, 0, name, ...values]

const copyOf = (...parts) => {
  const c = new Copy(new Schema(described), book, 20)
  c.replace(parts, 5)
  return c
}

test('a bar stands for a share, and a rulebook has the last word', () => {
  const f = (name) => described.kinds[3].find((f) => f.name === name)
  assert.equal(isBar(f('hull')), true)
  assert.equal(isBar(f('points')), false, 'a count, by its name')
  assert.equal(isBar({ ...f('points'), show: 'bar' }), true)
  assert.equal(isBar({ ...f('hull'), show: 'number' }), false)
  assert.equal(isBar({ ...f('hull'), own: false }), false)
  assert.equal(isBar(f('best')), false, 'without bounds')
  assert.equal(shown(copyOf(), f('best'), 83450), '01:23.450')
  assert.equal(shown(copyOf(), f('hull'), 1234567), '1,234,567')
  assert.equal(shown(copyOf(), f('wind'), 12345), '12.35')
  assert.deepEqual([0, 9400, 61000, 3725000].map(shortClock), ['0.0', '9.4', '1:01', '1:02:05'])
})

test('the scoreboard: by place, then by the number that counts, then by seat', () => {
  const c = copyOf(player(4, 'Ada', 2, 3), player(5, 'Bo', 2, 9), player(6, 'Cy', 2, 9), player(7, 'Di', 4, 1))
  const f = described.kinds[3].find((f) => f.name === 'points')
  assert.deepEqual(standing(c, f).map((s) => s.id), [7, 5, 6, 4])
  assert.deepEqual(standing(c).map((s) => s.id), [7, 4, 5, 6])
})

test('a recording shows the same at a tick, whichever way it was come to', () => {
  const lines = [{ is: 'playback', rate: 20, schema: described, book }]
  lines.push({ is: 'snapshot', tick: 10, parts: [[0, 1, 0, 0, 0, 'ABCDEF'], player(4, 'Ada', 1, 100, 2, 0)] })
  for (let t = 11; t <= 600; t++) {
    const parts = [[4, 1, (t * 7) % 101]]
    if (t % 200 === 50) parts.push([0, 2, 1, 0, 0, Math.ceil(t / 200), 1, 0])
    if (t % 200 === 190) parts.push([-1, 2])
    if (t === 300) parts.push(player(5, 'Bo', 1, 50))
    lines.push({ is: 'delta', tick: t, on: t - 1, parts })
    if (t % 100 === 0) lines.push({ is: 'notice', tick: t, name: 'bell' })
  }
  lines.push({ is: 'end', tick: 600, more: false, missing: 640 })
  const state = (s) => JSON.stringify([s.copy.tick, [...s.copy.sheets.values()].map((x) => [x.id, [...x.values]]), s.notices.length])
  const on = new RecordedSource(lines)
  const seen = new Map()
  for (let t = 10; t <= 600; t++) {
    on.seek(t)
    seen.set(t, state(on))
  }
  const about = new RecordedSource(lines)
  for (let t = 600, i = 0; i < 300; i++, t = 10 + ((t * 37 + 11) % 591)) {
    about.seek(t)
    assert.equal(state(about), seen.get(t), `tick ${t}`)
  }
  assert.equal(JSON.parse(seen.get(305))[1].length, 4, 'both players and the match, and the lobby')
  assert.deepEqual([on.first, on.last, on.starts, on.firstMatch, on.gaps], [10, 600, [50, 250, 450], 1, [[600, 640]]])
  about.seek(-5)
  assert.equal(about.tick(), 10, 'never before its beginning')
})

/** A live source as a recorder needs it. */
class Told {
  constructor(copy) {
    this.copy = copy
  }
  tap(f) {
    this.f = f
    return () => {}
  }
  take(tick, ...parts) {
    this.f(this.copy.apply(parts, tick), this.copy)
  }
}

test('what differs for longer than it may is a fault, with since when, and is kept when it ends', () => {
  const whole = [player(4, 'Ada', 1, 100), player(5, 'Bo', 1, 100)]
  const [truth, one] = [new Told(copyOf(...whole)), new Told(copyOf(...whole))]
  const [t, a] = [new Recorder(truth), new Recorder(one)]
  const compare = new Comparison()
  const rows = (tick) => compare.rows(truth.copy, t.at(tick), [a.at(tick), undefined], ['player'], tick)
  truth.take(10, [4, 1, 60])
  one.take(10, [4, 1, 61])
  truth.take(11, [5, 1, 90]) // the other one hears of it late, within what is allowed
  assert.deepEqual(rows(12).map((r) => r.since), [[undefined, undefined], [undefined, undefined], [undefined, undefined], [undefined, undefined]])
  one.take(13, [5, 1, 90])
  for (let tick = 13; tick < 20; tick++) rows(tick)
  const bad = rows(20).filter((r) => r.since[0] !== undefined)
  assert.deepEqual(bad.map((r) => [r.sheet, r.field.name, r.truth, r.held, r.since]), [[4, 'hull', 60, [61, undefined], [8, undefined]]])
  assert.deepEqual(compare.faults.map((f) => [f.from, f.to]), [[12, undefined]])
  truth.take(25, [-1, 4]) // the sheet goes, and the difference with it
  one.take(25, [-1, 4])
  rows(26)
  assert.deepEqual(compare.faults.map((f) => [f.from, f.to]), [[12, 26]])
  assert.equal(a.at(4), undefined, 'of the time before it was there a copy is not compared')
  assert.equal(t.at(10).sheets.get(4).values.get(1), 60, 'a frame does not change once it is made')
})

test('the graph of phases: no two boxes meet, and every way is drawn once', () => {
  const flow = [
    { name: 'ready', title: 'ready', length: '3s', frozen: true, leads: [{ to: 'play', why: 'time' }] },
    { name: 'play', title: 'Play', leads: [{ to: 'rest', why: 'time' }, { to: 'rest', why: 'points' }, { to: 'sudden', why: 'a tie' }, { why: 'decided' }] },
    { name: 'rest', title: 'Rest', leads: [{ to: 'ready', why: 'time' }] },
    { name: 'sudden', title: 'Sudden death', leads: null },
  ]
  const { nodes, edges, height } = lay(flow)
  assert.deepEqual(nodes.map((n) => n.title), ['Ready', 'Play', 'Rest', 'Sudden death', 'The end'])
  nodes.slice(1).forEach((n, i) => assert.ok(n.y >= nodes[i].y + nodeHeight))
  assert.ok(height >= nodes.at(-1).y + nodeHeight)
  assert.deepEqual(edges.map((e) => [e.key, e.why]), [['0 1', 'time'], ['1 2', 'time; points'], ['1 3', 'a tie'], ['1 4', 'decided'], ['2 0', 'time']])
  const lanes = edges.filter((e) => ['1 3', '1 4'].includes(e.key)).map((e) => /H([\d.]+)/.exec(e.path)[1])
  assert.notEqual(lanes[0], lanes[1], 'ways side by side do not lie on each other')
})

test('where in a rulebook the cursor stands', () => {
  const text = 'name: x\nzones:\n  quay:\n    circle: [1m, 2m, 3m]\n    hold: {takes: 5s, '
  assert.deepEqual(pathAt(text, text.length), ['zones', 'quay', 'hold'])
  assert.deepEqual(pathAt(text, text.indexOf('circle')), ['zones', 'quay'])
  const rules = 'rules:\n  - every: 1s\n    do:\n      - {add: me.hull, b'
  assert.deepEqual(pathAt(rules, rules.length), ['rules', 'do'])
  const root = { $ref: '#/$defs/rulebook', $defs: {
    rulebook: { properties: { zones: { additionalProperties: { $ref: '#/$defs/zone' } } } },
    zone: { properties: { hold: { anyOf: [{ $ref: '#/$defs/hold' }, { enum: ['no'] }] } } },
    hold: { properties: { takes: { description: 'how long' } } },
  } }
  assert.ok(follow(root, ['zones', 'quay', 'hold']).some((s) => s.properties?.takes), 'through references and choices')
  assert.deepEqual(follow(root, ['zones', 'quay', 'nothing']), [])
})

test('help comes from the reference: the row of a key, an example, a function', () => {
  const page = readFileSync('../docs/rulebook.md', 'utf8')
  const hold = keyHelp(page, 'zone', 'update')
  assert.match(hold.kind, /^duration, 0s to 10s; default 100ms$/)
  assert.match(hold.text, /between two updates/)
  assert.match(hold.example, /update: 200ms/)
  assert.ok(hold.example.split('\n').length <= 12)
  assert.equal(hold.anchor, 'zone')
  assert.equal(keyHelp(page, 'stand-ins', 'fill').anchor, 'stand-ins')
  assert.equal(keyHelp(page, "referee's_act", 'do').anchor, 'action')
  assert.equal(keyHelp(page, 'zone', 'nonsense'), undefined)
  assert.equal(keyHelp(page, 'nonsense', 'update'), undefined)
  const distance = functionHelp(page, 'distance')
  assert.equal(distance.title, 'distance(a, b)')
  assert.match(distance.text, /millimetres/)
  assert.equal(functionHelp(page, 'nonsense'), undefined)
})

test('how long ago, in words', () => {
  const now = Date.parse('2031-05-01T12:00:00Z')
  const ago = (s) => since(now - s * 1000, now)
  assert.deepEqual([0, 59, 60, 3599, 3600, 172799, 172800, -5].map(ago), ['0 s', '59 s', '1 min', '59 min', '1 h', '47 h', '2 days', '0 s'])
})

test('what is listed keeps its own key while the list slides', () => {
  const notices = Array.from({ length: 9 }, (_, tick) => ({ is: 'notice', name: 'hit', tick }))
  const before = notices.slice(0, 6).map(serial)
  const after = notices.slice(3).map(serial)
  assert.deepEqual(after.slice(0, 3), before.slice(3))
  assert.equal(new Set([...before, ...after]).size, 9)
})
