// What a player asks for: aims, targets and arguments, for people and for demo players.
import type { ActionInfo, Copy, FieldInfo, Intent, Sheet } from 'turnvex-client'
import { middle } from './levels.ts'
import { placeOf, type Source } from './source.ts'

/** Who an action of a seat may be used on, the nearest first. */
export function targetsOf(source: Source, me: Sheet, a: ActionInfo): Sheet[] {
  const copy = source.copy
  if (!copy) return []
  const hits = a.hits?.length ? a.hits : ['players']
  const fits = (s: Sheet) => {
    if (s.kind === 'player') {
      if (!hits.includes('players') && !hits.includes('player')) return false
      if (!s.flag('playing') || !s.flag('alive')) return false
      if (s.id === me.id) return a.who === 'anyone'
      const friends = s.num('team') !== 0 && s.num('team') === me.num('team')
      return a.who === 'friends' ? friends : a.who === 'rivals' ? !friends : true
    }
    return hits.includes(s.text('kind')) && (s.kind !== 'creature' || s.flag('alive'))
  }
  const all = [...copy.of('player'), ...copy.of('creature'), ...copy.of('piece')].filter(fits)
  if (!me.pos()) return all
  const [x, y] = placeOf(source, me)
  const far = (s: Sheet) => {
    if (s.id === me.id) return Number.MAX_VALUE
    const [a, b] = placeOf(source, s)
    return Math.hypot(a - x, b - y)
  }
  return all
    .map((s) => [s, far(s)] as const)
    .sort((a, b) => a[1] - b[1])
    .map(([s]) => s)
}

/** A direction in thousandths. */
export function towards(from: [number, number], to: [number, number]): [number, number] {
  const [x, y] = [to[0] - from[0], to[1] - from[1]]
  const far = Math.hypot(x, y)
  return far < 1 ? [0, -1000] : [Math.round((x / far) * 1000), Math.round((y / far) * 1000)]
}

/** The intent to use an action: on a target, or towards where somebody points. */
export function actIntent(
  source: Source,
  seat: number,
  a: ActionInfo,
  target?: number,
  point?: number[],
  args?: Record<string, unknown>,
): Intent | undefined {
  const me = source.copy?.sheet(seat)
  if (!me) return undefined
  const intent: Intent = { seat, do: 'act', name: a.name, ...(args && { args }) }
  if (a.aim === 'self') return intent
  const all = targetsOf(source, me, a)
  const chosen = all.find((s) => s.id === target) ?? all[0]
  if (a.aim === 'target') return { ...intent, target: chosen?.id ?? target ?? 0 }
  const parts = source.copy?.ground?.tall ? 3 : 2
  const mine = spotOf(source, me, source.copy?.book.walk?.eye)
  const at = point ?? (chosen?.pos() ? spotOf(source, chosen) : [mine[0] ?? 0, (mine[1] ?? 0) - 3000, mine[2] ?? 0])
  if (a.aim === 'area') return { ...intent, at: at.map(Math.round).slice(0, parts) }
  return { ...intent, at: parts === 3 ? along(mine, at) : towards([mine[0]!, mine[1]!], [at[0]!, at[1]!]) }
}

/** Where a body is, and how high its middle, or what is so far above its feet. */
function spotOf(source: Source, s: Sheet, above?: number): number[] {
  const [x, y] = s.pos() ? placeOf(source, s) : [0, 0]
  return [x, y, above === undefined ? (source.copy ? middle(source.copy, s) : 0) : s.height() + above]
}

/** A direction in three dimensions, in thousandths. */
function along(from: number[], to: number[]): number[] {
  const way = from.map((n, i) => (to[i] ?? 0) - n)
  const far = Math.hypot(...way)
  return far < 1 ? [0, -1000, 0] : way.map((n) => Math.round((n / far) * 1000))
}

/** Whether an action can be used now, as far as can be seen from here, and why not. */
export function usable(copy: Copy, me: Sheet, a: ActionInfo, cooldown: number): string {
  const match = copy.match
  const also = a.also ?? []
  if (!match) return also.includes('lobby') ? '' : 'no match'
  if (match.flag('over')) return also.includes('result') ? '' : 'the match is over'
  if (!me.flag('playing')) return 'from the next match on'
  if (!me.flag('alive')) return 'out'
  if (!hasKit(copy, me, a)) return 'not among your kits'
  if (match.text('paused') !== 'no' && !also.includes('pause')) return 'paused'
  if (a.phases.length > 0 && !a.phases.includes(match.text('phase'))) return 'not in this phase'
  if (cooldown > 0) return 'cooling down'
  return ''
}

/** Whether an action is in one of the player's kits; actions that are in no kit are everyone's. */
function hasKit(copy: Copy, me: Sheet, a: ActionInfo): boolean {
  const kits = copy.book.kits ?? []
  const with_ = kits.map((k, n) => (k.actions.includes(a.name) ? n : -1)).filter((n) => n >= 0)
  if (with_.length === 0) return true
  const mine = me.raw('kits')
  return typeof mine !== 'number' || with_.some((n) => mine & (1 << n))
}

/** The items of a list that was written with commas. */
export function itemsOf(f: FieldInfo, text: string): unknown[] {
  const items = text.split(',').map((x) => x.trim())
  return items.filter(Boolean).map((x) => (f.item === 'choice' ? x : Number(x)))
}

/** A value for an argument, made up. */
export function madeUp(copy: Copy, f: FieldInfo): unknown {
  const pick = <T>(list: readonly T[]) => list[Math.floor(Math.random() * list.length)]
  switch (f.type) {
    case 'flag':
      return Math.random() < 0.5
    case 'list': {
      const one = { ...f, type: (f.item ?? 'integer') as FieldInfo['type'] }
      return Array.from({ length: Math.floor(Math.random() * Math.min(f.most ?? 1, 4)) }, () => madeUp(copy, one))
    }
    case 'choice':
      return pick(f.choices ?? [])
    case 'ref':
      return pick(copy.of(f.of ?? 'player'))?.id
    case 'position':
    case 'position3':
      return [
        Math.floor(Math.random() * (copy.ground?.width ?? 1000)),
        Math.floor(Math.random() * (copy.ground?.height ?? 1000)),
        Math.floor(Math.random() * (copy.ground?.tall ?? 1000)),
      ].slice(0, f.type === 'position' ? 2 : 3)
    case 'text':
      return pick(['aye', 'ahoy', 'steady'])
    case 'number':
      return Math.round(Math.random() * 10)
    default: {
      const [least, most] = [f.min ?? 0, Math.min(f.max ?? 9, (f.min ?? 0) + 20)]
      return least + Math.floor(Math.random() * (most - least + 1))
    }
  }
}
