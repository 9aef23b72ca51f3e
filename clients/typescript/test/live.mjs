// Plays against a service with what a Go test tells it on the command line:
// node --experimental-websocket live.mjs ADDRESS TOKEN LOBBY ENCODING ROUGH
// Each line that it writes is something that it has seen happen.
import assert from 'node:assert/strict'
import { Connection, Listing, ahead, WatchedBoard, json, postToBoard, readBoard } from '../dist/index.js'
import { cbor } from '../dist/cbor.js'

const [address, token, lobby, encoding, rough] = process.argv.slice(2)
const seen = []
let wake = () => {}
setInterval(() => wake(), 20).unref() // for what no callback tells of
const until = async (what, holds) => {
  const late = setTimeout(() => { console.log(`waited in vain: ${what}`); process.exit(1) }, 20000)
  while (!holds()) await new Promise((resolve) => (wake = resolve))
  clearTimeout(late)
  console.log(what)
}
const send = async (...intent) => { // again where the machine was too slow for it to be kept, which takes nothing
  for (;;) {
    const verdict = await connection.send(...intent)
    if (verdict.code !== 'not-kept') return verdict
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}
const connection = new Connection({
  address, token, lobby,
  encoding: encoding === 'cbor' ? cbor : json,
  rough: rough ? JSON.parse(rough) : undefined,
  ahead,
  onChange: () => wake(),
  onState: (state, why) => { seen.push(why ? `${state} ${why.code}` : state); wake() },
  onDiffers: (fields) => { console.log('the copy differs', fields); process.exit(1) },
  onNotice: (n) => { seen.push(n.name); wake() },
})
await until('the copy is there', () => connection.me)
assert.deepEqual(connection.copy.book.actions.find((a) => a.name === 'ram').cost, [{ field: 'wind', by: 2500 }])

const hull = []
const stop = connection.watch({ sheet: connection.seats[0], field: 'hull' }, (c) => { hull.push(c); wake() })
assert.ok(hull[0].first && hull[0].now === 100, 'the first value is told the same way')

await send({ do: 'ready' })
await until('play', () => connection.copy.match?.text('phase') === 'play')

const refused = connection.send({ do: 'act', name: 'ram', target: connection.seats[0] }, { field: 'hull', value: 40 })
assert.equal(connection.me.num('hull'), 40, 'what is expected is shown at once')
assert.equal((await refused).ok, false)
assert.equal(connection.me.num('hull'), 100, 'and taken back when it is refused')
assert.deepEqual(hull.slice(1).map((c) => [c.old, c.now, !!c.expected, !!c.undone]), [[100, 40, true, false], [40, 100, false, true]])
const plotted = await send({ do: 'act', name: 'plot', args: { what: 7 } }, { field: 'plan', value: 7 })
assert.ok(plotted.ok && connection.me.num('plan') === 7)
stop()
const half = connection.send({ do: 'ready' }, { field: 'plan', value: 9 }, { field: 'nothing', value: 1 })
await assert.rejects(half, /no field nothing/)
assert.equal(connection.me.num('plan'), 7, 'all that is expected is shown, or nothing')

await send({ do: 'steer', at: [0, -1000] })
await until('it moves', () => connection.me.track.seen.length > 2)
connection.frame()
const [bow] = connection.me.pos()
await assert.rejects(connection.send({ do: 'steer', at: [1000, 0] }, { field: 'nothing', value: 1 }), /no field nothing/)
for (const from = connection.exactTick(); connection.exactTick() < from + 4; ) {
  const [drawn] = connection.frame().place(connection.me)
  assert.equal(drawn, bow, 'what is not sent is not walked')
}
const turned = connection.send({ do: 'steer', at: [1000, 0] })
for (let drawn = bow; drawn <= bow; ) [drawn] = connection.frame().place(connection.me) // no message is read meanwhile
assert.equal(connection.me.pos()[0], bow, 'it is drawn where it goes before the service knows')
assert.ok((await turned).ok)
await until('it goes there', () => connection.me.pos()[0] > bow)

connection.cut()
await until('away', () => seen.includes('away'))
const again = send({ do: 'act', name: 'plot', args: { what: 3 } })
await until('back', () => seen.lastIndexOf('open') > seen.indexOf('away'))
assert.ok((await again).ok, 'what was sent meanwhile is done')
assert.equal(connection.me.num('plan'), 3)
await until('the round trip is measured', () => connection.trip > 0)
assert.ok(Math.abs(connection.tick() - connection.copy.tick) < 40)

const listing = new Listing({ address, token, filter: { title: 'From Node' }, onChange: () => wake() })
await until('it is listed', () => listing.lobbies.get(lobby)?.state === 'playing')
listing.close()

const board = new WatchedBoard({ address, token, board: { rulebook: 'duel', board: 'open' }, onChange: () => wake() })
await until('the board is there', () => board.page)
await postToBoard(address, token, 'duel', 'open', 7)
await postToBoard(address, token, 'duel', 'open', 8, crypto.randomUUID())
await until('the post is ranked', () => board.page.rows.some((r) => r.name === 'Nod' && r.value === 8))
board.close()
const mine = await readBoard(address, 'duel', 'open', { around: 'me', limit: 1 }, token)
assert.deepEqual([mine.rows.length, mine.rows[0].value], [1, 8])
await assert.rejects(postToBoard(address, token, 'duel', 'points', 7), (e) => e.code === 'board-closed')

connection.cut()
await until('away once more', () => connection.state === 'away')
connection.leave() // is said when it is back
await until('left', () => seen.includes('ended left'))
