import { Connection, Http, Tokens, ahead, readBoard } from 'turnvex-client'

const query = new URLSearchParams(location.search)
const address = query.get('service') ?? 'http://127.0.0.1:7420'
const $ = (id) => document.getElementById(id)
const say = (text) => ($('say').textContent = text)

// Who plays. A tab keeps its key, so that two tabs are two players; a game that is out keeps it in localStorage.
const random = () => crypto.getRandomValues(new Uint32Array(4)).join('-')
const device = (sessionStorage.device ??= `bee-${random()}`)
const name = (sessionStorage.called ??= ['Clover', 'Thistle', 'Heather', 'Bramble'][Math.floor(Math.random() * 4)])
const anyone = new Http({ address })
const tokens = new Tokens(() => anyone.call('POST /v1/sign-in/device', { body: { device, name } }))
const http = new Http({ address, tokens })

// Where. The lobby stands in the page's address; without one there is a new one.
if (!location.hash) {
  const { code } = await http.call('POST /v1/lobbies', { body: { rulebook: 'bees' } })
  location.hash = code
}
const lobby = location.hash.slice(1)
say(`Send a friend this address: ${location.href}`)

// The match. Everything that this page may see is in bees.copy from now on, and stays true.
const delay = Number(query.get('delay'))
const bees = new Connection({
  address,
  lobby,
  tokens: tokens.token,
  ahead,
  rough: delay ? { delay, jitter: delay / 2 } : undefined,
  onState: (state, why) => state !== 'open' && say(why?.reason ?? 'The connection is away …'),
  onNotice: (n) => heard(n),
})
await bees.wait((copy) => copy.lobby)

const players = () => bees.copy.of('player')
const phase = () => bees.copy.match?.text('phase')
const ask = (intent) => bees.do(intent).catch((e) => say(e.message))
$('ready').onclick = () => ask({ do: bees.me.flag('ready') ? 'unready' : 'ready' })
bees.watch({ kind: 'player' }, show)
bees.watch({ kind: 'lobby' }, show)
bees.watch({ kind: 'match' }, show)

function show() {
  const [a, b] = players()
  const score = (p) => (p ? `${p.text('name')} ${'✿'.repeat(p.num('nectar'))}` : '…')
  $('one').textContent = score(a)
  $('two').textContent = score(b)
  const waits = bees.copy.lobby.text('state') === 'gathering'
  $('ready').disabled = !waits
  $('ready').textContent = bees.me?.flag('ready') ? 'Not yet' : 'Ready'
  if (waits && b) say(bees.me?.flag('ready') ? 'Waiting for the other bee …' : 'Both here. Are you ready?')
}

function heard(n) {
  if (n.name === 'buzzed') say(`${bees.copy.sheet(n.with.by).text('name')} buzzes!`)
}

// What it looks like. frame() says where to draw everything: others a little late, your own bee at once.
const meadow = $('meadow').getContext('2d')
const px = (mm) => mm / 25 // 24 m are 960 pixels

function draw() {
  const frame = bees.frame()
  const { ground } = bees.copy
  meadow.fillStyle = '#6aa84f'
  meadow.fillRect(0, 0, px(ground.width), px(ground.height))
  meadow.fillStyle = '#7cb862'
  for (let i = 0; i < 150; i++) meadow.fillRect((i * 397) % 960, (i * 211) % 640, 3, 12) // grass
  meadow.fillStyle = '#2f5d2a'
  for (const [left, top, right, bottom] of ground.boxes ?? []) {
    meadow.beginPath()
    meadow.roundRect(px(left), px(top), px(right - left), px(bottom - top), 12)
    meadow.fill()
  }
  for (const [x, y, r] of ground.circles ?? []) disc(px(x), px(y), px(r), '#2f5d2a')
  for (const flower of bees.copy.of('piece')) {
    const [x, y] = frame.place(flower).map(px)
    for (let i = 0; i < 6; i++) disc(x + 12 * Math.cos(i * 1.05), y + 12 * Math.sin(i * 1.05), 9, '#fff3f8')
    disc(x, y, 8, '#f4b400')
  }
  for (const bee of players()) if (bee.flag('alive')) drawBee(bee, frame.place(bee).map(px))
  $('time').textContent = clock()
  requestAnimationFrame(draw)
}

function disc(x, y, r, colour) {
  meadow.fillStyle = colour
  meadow.beginPath()
  meadow.arc(x, y, r, 0, 7)
  meadow.fill()
}

function drawBee(bee, [x, y]) {
  const own = bee === bees.me
  const flap = 20 + 4 * Math.sin(performance.now() / 25)
  for (const side of [-1, 1]) disc(x, y + side * flap, 11, '#ffffffc0')
  disc(x, y, 20, own ? '#ffd54a' : '#ff9d3b')
  meadow.fillStyle = '#3b2a14'
  for (const stripe of [-9, 0, 9]) meadow.fillRect(x + stripe - 2, y - 16, 4, 32)
  meadow.font = `${own ? 'bold ' : ''}15px system-ui`
  meadow.textAlign = 'center'
  meadow.lineWidth = 4
  meadow.strokeStyle = '#20351f'
  meadow.strokeText(bee.text('name'), x, y - 40)
  meadow.fillStyle = '#fff8dc'
  meadow.fillText(bee.text('name'), x, y - 40)
}

function clock() {
  const left = Math.ceil(bees.clock(bees.copy.match, 'clock') / 1000)
  return { ready: `${left} …`, play: `${left} s` }[phase()] ?? ''
}

draw()

// What the keys do: arrows or WASD fly, space buzzes.
const ways = { ArrowLeft: [-1, 0], KeyA: [-1, 0], ArrowRight: [1, 0], KeyD: [1, 0], ArrowUp: [0, -1], KeyW: [0, -1],
  ArrowDown: [0, 1], KeyS: [0, 1] }
const held = new Set()
const steer = () => {
  const sum = (i) => [...held].reduce((n, key) => n + ways[key][i], 0)
  if (phase() === 'play') bees.send({ do: 'steer', at: [1000 * sum(0), 1000 * sum(1)] })
}
onkeydown = (e) => {
  if (ways[e.code] && !held.has(e.code)) {
    held.add(e.code)
    steer()
  }
  const other = players().find((p) => p !== bees.me)
  if (e.code === 'Space' && !e.repeat && other) ask({ do: 'act', name: 'buzz', target: other.id })
  if (ways[e.code] || e.code === 'Space') e.preventDefault()
}
onkeyup = (e) => held.delete(e.code) && steer()
onblur = () => {
  held.clear()
  steer()
}
bees.watch({ kind: 'match', field: 'phase' }, steer) // keys that are held when play begins

// Pauses, the end of a match, and who has ever gathered the most.
$('pause').onclick = () => ask({ do: bees.copy.match.text('paused') === 'no' ? 'pause' : 'resume' })
bees.watch({ kind: 'match' }, async () => {
  const { match } = bees.copy
  const paused = match?.text('paused') ?? 'no'
  $('pause').disabled = phase() !== 'play' || match.flag('over')
  $('pause').textContent = paused === 'no' ? 'Pause' : 'Go on'
  if (paused === 'yes') say('The meadow stands still.')
  if (paused === 'resuming') say('Play goes on in three seconds …')
  if (paused === 'no' && phase() === 'play' && !match.flag('over')) say('Gather seven flowers. Space throws the other bee back.')
  if (!match?.flag('over')) return
  const best = players().find((p) => p.text('outcome') === 'won')
  say(best ? `${best.text('name')} wins!` : 'A draw!')
})
bees.watch({ kind: 'match', field: 'saved' }, async () => {
  const { rows } = await readBoard(address, 'bees', 'nectar', { limit: 3 })
  say(`${$('say').textContent} Most nectar: ${rows.map((r) => `${r.name} ${r.value}`).join(', ')}`)
})
