// Holds the client against the test vectors, and against broken messages:
// node vectors.mjs VECTORS.json SEED
import assert from 'node:assert/strict'
import { readFileSync } from 'node:fs'
import { Copy, Estimate, Schema, Screen, Track, between, clockTicks, formatClock, json } from '../dist/index.js'
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
