// Holds the client against the test vectors, and against broken messages:
// node vectors.mjs VECTORS.json SEED
import assert from 'node:assert/strict'
import { readFileSync } from 'node:fs'
import { Body, Copy, Estimate, Schema, Screen, Track, between, clockTicks, formatClock, json } from '../dist/index.js'
import { sine, steering } from '../dist/ground.js'
import { groundOf } from '../dist/own.js'
import { cbor } from '../dist/cbor.js'

const [file, seed] = process.argv.slice(2)
const vectors = JSON.parse(readFileSync(file, 'utf8'))
const bytes = (hex) => new Uint8Array(Buffer.from(hex, 'hex')).buffer

for (const v of vectors.messages) {
  assert.deepEqual(cbor.decode(bytes(v.cbor)), v.json, v.what)
  assert.deepEqual(json.decode(json.encode(v.json)), v.json, v.what)
  if (!['snapshot', 'delta'].includes(v.what)) assert.deepEqual(cbor.decode(Uint8Array.from(cbor.encode({ ...v.json, nothing: undefined })).buffer), v.json, v.what)
}

const take = (copy, m) => (m.is === 'snapshot' ? copy.replace(m.parts, m.tick) : copy.apply(m.parts, m.tick))
const reads = [(v) => v.json, (v) => cbor.decode(bytes(v.cbor))]
for (const [read, { schema, story }] of reads.flatMap((r) => [[r, vectors], [r, vectors.tall]])) {
  const copy = new Copy(new Schema(schema), { name: 'story', title: '', version: '', phases: [] }, 10)
  for (const step of story) {
    const m = read(step)
    if (m.is === 'delta') assert.equal(m.on, copy.tick, step.what)
    take(copy, m)
    assert.equal(copy.hash(), step.hash, step.what)
    for (const [path, want] of Object.entries(step.seen)) {
      const [sheet, field] = path.split('/')
      assert.deepEqual(copy.sheet(Number(sheet))?.raw(field) ?? null, want, `${step.what}: ${path}`)
    }
    const again = new Copy(copy.schema, copy.book, 10)
    again.replace(copy.parts(), m.tick)
    assert.equal(again.hash(), step.hash, 'the copy written as parts and read again')
  }
}

for (const c of vectors.clocks) {
  assert.equal(Math.floor((clockTicks(c.clock, c.now) * 1000) / c.rate), c.millis)
  assert.equal(formatClock(c.millis), c.text)
}
for (const b of vectors.between) {
  assert.deepEqual(between(b.seen.map(([tick, x, y]) => ({ tick, x, y })), b.tick).slice(0, 2), b.at)
}
const { rate, speed, steps } = vectors.drawing
const [track, screen] = [new Track(), new Screen()]
for (const { now, on, tick, told, at = 0, draw } of steps) {
  if (tick) {
    screen.heard(on, tick, now)
    if (told) track.add({ tick, x: told[0], y: told[1], z: told[2] }, rate, speed)
  } else {
    const shown = screen.frame(now, rate)
    const off = [shown, ...track.at(shown)].map((v, i) => Math.abs(v - [at, ...(draw ?? [0, 0, 0])][i]))
    assert.ok(Math.max(...off) < 1e-6, `drawn at ${now}: ${off}`)
  }
}

const row = (text) => text.split(' ').map(Number)
const point = ([x = 0, y = 0, z = 0] = []) => ({ x, y, z })
const roads = vectors.walks.map(({ rate, radius, speed, ground, walk = {}, ...rest }) => {
  const { tall = 0, step = 0, slope = 0, flies = false, jump = 0, gravity = 0 } = walk
  return { ...rest, on: groundOf(ground, () => true), gait: { radius, tall, step, slope, flies, rate }, drive: { steer: point(), push: point(), speed, jump, gravity } }
})
for (const [i, { on, gait, drive, from, stands = false, drives, becomes }] of roads.entries()) {
  let m = { at: point(row(from)), rest: point(), rise: 0, stands }
  for (const [tick, d] of drives.map(row).entries()) {
    m = on.tick(m, gait, { ...drive, steer: steering(point(d), gait.flies), push: point(d.slice(3)) })
    const is = [...Object.values(m.at), ...Object.values(m.rest), m.rise, m.stands ? 1 : 0].map((n) => n + 0)
    assert.deepEqual(is, row(becomes[tick]), `walk ${i}, tick ${tick}`)
  }
}
for (const { yaw, direction } of vectors.yaws) if (yaw < 16_384) assert.equal(sine(yaw), direction[1])

const body = new Body()
for (const { tell, asked, answered, place, at = [0, 0] } of vectors.ahead.steps) {
  if (tell) {
    const [tick, when, x, y, sx, sy, pushed, px, py, moves, steers] = row(tell)
    const [{ on, gait, drive }] = roads
    const world = { ground: on, gait, drive: { ...drive, push: point([px, py]) }, pushed, moves: moves > 0, steers: steers > 0 }
    body.tell(world, { tick, at: when, body: { at: point([x, y]), rest: point(), rise: 0, stands: false }, steer: point([sx, sy]) })
  } else if (asked) {
    const [n, tick, ...way] = row(asked)
    body.asked(n, tick, point(way))
  } else if (answered) {
    const [n, ok, tick] = row(answered)
    body.answered(n, ok > 0, tick)
  } else {
    const off = body.place(place).map((n, i) => Math.abs(n - (at[i] ?? 0)))
    assert.ok(Math.max(...off) < 1e-6, `one's own body at ${place}: ${off}`)
  }
}
assert.equal(body.wrong, vectors.ahead.wrong)

const time = new Estimate()
time.rate = 20
time.heard(100, 0)
assert.equal(Math.floor(time.exact(1000)), 120)
for (const [trip, tick] of [[300, 119], [60, 121], [500, 118]]) time.measured(1000 - trip, 1000, tick)
assert.equal(time.trip, 60)
assert.equal(time.exact(970), 121)

// Broken messages end in an error at worst, and never in a loop.
let state = BigInt(seed)
const random = (n) => {
  state = (state * 6364136223846793005n + 1442695040888963407n) & 0xffffffffffffffffn
  return Number((state >> 33n) % BigInt(n))
}
for (let i = 0; i < 20000; i++) {
  const step = vectors.story[random(vectors.story.length)]
  const raw = Buffer.from(step.cbor, 'hex')
  for (let k = random(4); k >= 0; k--) raw[random(raw.length)] = random(256)
  const copy = new Copy(new Schema(vectors.schema), { phases: [] }, 10)
  try {
    copy.replace(vectors.story[0].json.parts, 0)
    take(copy, cbor.decode(new Uint8Array(raw).buffer.slice(0, random(20) === 0 ? random(raw.length) + 1 : raw.length)))
  } catch (e) {
    assert.ok(e instanceof Error, `seed ${seed}, step ${i}: ${e}`)
  }
}
console.log(`${vectors.messages.length} messages and ${vectors.story.length} steps agree`)
