// Demo players, who fill the seats of a practice match that nobody plays.
import type { Connection, Sheet } from 'turnvex-client'
import { madeUp, targetsOf, towards, usable, actIntent } from './intents.ts'
import { clockOf, type LiveSource, placeOf } from './source.ts'

/** Lets a connection's seat be played, until the function that is returned is called. */
export function playBy(source: LiveSource): () => void {
  const timer = setInterval(() => move(source), 350 + Math.random() * 200)
  return () => clearInterval(timer)
}

function move(source: LiveSource) {
  const { connection: c } = source
  const copy = source.copy
  const me = c.me
  if (!copy || !me || c.state !== 'open') return
  const match = copy.match
  const vote = copy.lobby?.text('vote')
  if (vote && vote !== 'none' && Math.random() < 0.2) return ask(c, { do: 'vote', name: vote, text: 'yes' })
  if (!match || match.flag('over')) {
    if (!me.flag('ready')) ask(c, { do: 'ready' })
    return
  }
  if (match.text('paused') !== 'no' || !me.flag('alive')) return
  const actions = copy.book.actions ?? []
  const can = actions.filter((a) => !usable(copy, me, a, a.cools ? clockOf(source, me, `cool_${a.name}`) : 0))
  const foe = nearestFoe(source, me)
  if (copy.book.moves && me.pos()) steer(source, me, foe)
  const a = can[Math.floor(Math.random() * can.length)]
  if (!a || Math.random() < 0.35) return
  if (a.aim !== 'self' && a.reach && foe && far(source, me, foe) > a.reach) return
  const args = a.takes?.length ? Object.fromEntries(a.takes.map((f) => [f.name, madeUp(copy, f)])) : undefined
  const intent = actIntent(source, me.id, a, undefined, undefined, args)
  if (intent) ask(c, intent)
}

function ask(c: Connection, intent: Parameters<Connection['send']>[0]) {
  c.send(intent).catch(() => undefined)
}

function far(source: LiveSource, a: Sheet, b: Sheet): number {
  const [x, y] = placeOf(source, a)
  const [u, v] = placeOf(source, b)
  return Math.hypot(x - u, y - v)
}

function nearestFoe(source: LiveSource, me: Sheet): Sheet | undefined {
  const a = source.copy?.book.actions?.find((a) => a.aim !== 'self')
  return a ? targetsOf(source, me, a).find((s) => s.id !== me.id) : undefined
}

/** Towards what is worth having, round about; away from who is near while hurt. */
function steer(source: LiveSource, me: Sheet, foe: Sheet | undefined) {
  const copy = source.copy
  if (!copy) return
  const piece = copy.of('piece').find((p) => p.pos() && Math.random() < 0.7)
  const goal = piece ?? foe ?? copy.of('zone')[0]
  const mine = placeOf(source, me)
  let way = goal?.pos()
    ? towards(mine, placeOf(source, goal))
    : towards(mine, [(copy.ground?.width ?? 0) / 2, (copy.ground?.height ?? 0) / 2])
  const hurt = me
    .fields()
    .some((f) => f.own && f.name.match(/hull|health|hp|life/) && f.max && Number(me.raw(f.name)) < f.max / 3)
  if (hurt && foe && far(source, me, foe) < 9000) way = [-way[0], -way[1]]
  const bend = (Math.random() - 0.5) * 1.2
  const [x, y] = [way[0] * Math.cos(bend) - way[1] * Math.sin(bend), way[0] * Math.sin(bend) + way[1] * Math.cos(bend)]
  ask(source.connection, {
    do: 'steer',
    at: [x, y, Math.random() < 0.15 ? 1000 : 0]
      .slice(0, copy.ground?.tall ? 3 : 2)
      .map((n) => Math.round(Math.max(-1000, Math.min(1000, n)))),
  })
}
