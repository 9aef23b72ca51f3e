// Draws the ground on a canvas: what is where, told apart by shape and not by colour alone.
import type { Copy, GroundInfo, Sheet, WallInfo } from 'turnvex-client'
import { teamColours } from '../app/theme.tsx'
import { nameOf, shapes, teamNo } from './fields.ts'
import { floorAt, fromBelow, height, levelsOf, on, there } from './levels.ts'
import { placeOf, type Source } from './source.ts'

/** What of the ground is to be seen: its middle, in millimetres, and how much it is enlarged. */
export interface View {
  x: number
  y: number
  zoom: number
}

export interface Look {
  view: View
  /** Whose view it is: their own body is marked. */
  me?: number
  /** A body that is aimed at. */
  target?: number
  trails: boolean
  /** On tall ground: the height of the level that is looked at; all of them without. */
  level?: number
}

/** The colours of the page at present. */
export type Palette = Record<string, string>

export function palette(of: Element): Palette {
  const style = getComputedStyle(of)
  const out: Palette = {}
  const names = ['fg', 'fg-muted', 'bg', 'bg-muted', 'border-emphasized', 'yellow-solid', 'red-solid', 'red-fg']
  for (const n of [...names, ...teamColours.flatMap((c) => [`${c}-solid`, `${c}-fg`])])
    out[n] = style.getPropertyValue(`--chakra-colors-${n}`).trim() || '#888'
  // on a dark ground a team's solid colour would hardly be seen
  if (of.closest('.dark')) for (const c of teamColours) out[`${c}-solid`] = out[`${c}-fg`]!
  return out
}

/** Puts places of the ground onto the canvas. */
export class Projection {
  readonly scale: number

  constructor(
    g: GroundInfo,
    private readonly view: View,
    readonly width: number,
    readonly height: number,
  ) {
    this.scale = Math.min(width / g.width, height / g.height) * view.zoom
  }

  to(x: number, y: number): [number, number] {
    return [(x - this.view.x) * this.scale + this.width / 2, (y - this.view.y) * this.scale + this.height / 2]
  }

  from(x: number, y: number): [number, number] {
    return [(x - this.width / 2) / this.scale + this.view.x, (y - this.height / 2) / this.scale + this.view.y]
  }
}

interface Label {
  x: number
  y: number
  text: string
  bold: boolean
  /** Labels of a lower rank give way. */
  rank: number
}

const trailFor = 60

/** Where bodies were on the last frames, for trails. */
export class Trails {
  private readonly of = new Map<number, [number, number][]>()

  add(id: number, at: [number, number]) {
    const list = this.of.get(id) ?? []
    this.of.set(id, list)
    list.push(at)
    if (list.length > trailFor) list.shift()
  }

  get = (id: number) => this.of.get(id) ?? []
}

/** What is drawn from and onto, and the labels that are written last. */
interface Scene {
  c: CanvasRenderingContext2D
  source: Source
  copy: Copy
  p: Projection
  pal: Palette
  labels: Label[]
  level?: number
  levels: number[]
}

export function paint(
  c: CanvasRenderingContext2D,
  source: Source,
  g: GroundInfo,
  p: Projection,
  pal: Palette,
  look: Look,
  trails: Trails,
) {
  const copy = source.copy
  if (!copy) return
  const scene: Scene = { c, source, copy, p, pal, labels: [], level: look.level, levels: levelsOf(g) }
  c.clearRect(0, 0, p.width, p.height)
  c.fillStyle = pal['bg-muted']!
  const [left, top] = p.to(0, 0)
  c.fillRect(left, top, g.width * p.scale, g.height * p.scale)
  walls(scene, g)
  for (const w of fromBelow(g, look.level)) wall(scene, g, w)
  for (const z of copy.of('zone')) zone(scene, z)
  for (const s of copy.of('piece')) piece(scene, s)
  for (const s of copy.of('creature')) if (s.flag('alive')) creature(scene, s)
  for (const s of copy.of('player')) if (s.id !== look.me && shown(s)) player(scene, s, look, trails)
  const me = look.me === undefined ? undefined : copy.sheet(look.me)
  if (me && shown(me)) player(scene, me, look, trails)
  write(scene)
}

const shown = (s: Sheet) => s.flag('playing') && s.pos()

function walls({ c, copy, p, pal }: Scene, g: GroundInfo) {
  c.fillStyle = pal['border-emphasized']!
  c.strokeStyle = pal['fg-muted']!
  c.lineWidth = 1
  for (const [x1, y1, x2, y2] of g.boxes ?? []) {
    const [x, y] = p.to(x1, y1)
    c.fillRect(x, y, (x2 - x1) * p.scale, (y2 - y1) * p.scale)
    c.strokeRect(x, y, (x2 - x1) * p.scale, (y2 - y1) * p.scale)
  }
  for (const [x, y, r] of g.circles ?? []) {
    c.beginPath()
    c.arc(...p.to(x, y), r * p.scale, 0, 7)
    c.fill()
    c.stroke()
  }
  for (const gate of g.gates ?? []) {
    c.beginPath()
    if (gate.box) {
      const [x1, y1, x2, y2] = gate.box
      c.rect(...p.to(x1, y1), (x2 - x1) * p.scale, (y2 - y1) * p.scale)
    } else if (gate.circle) c.arc(...p.to(gate.circle[0], gate.circle[1]), gate.circle[2] * p.scale, 0, 7)
    const there = copy.match?.flag(gate.while)
    if (there) c.fill()
    else c.setLineDash([4, 4])
    c.stroke()
    c.setLineDash([])
  }
}

/** A wall of a tall ground: the higher its top, the darker, with its height beside it. */
function wall({ c, copy, p, pal, labels, level }: Scene, g: GroundInfo, w: WallInfo) {
  const tall = g.tall ?? 1
  c.beginPath()
  let [x, y] = [0, 0]
  if (w.box) {
    const [x1, y1, x2, y2] = w.box
    c.rect(...p.to(x1, y1), (x2 - x1) * p.scale, (y2 - y1) * p.scale)
    ;[x, y] = p.to((x1 + x2) / 2, (y1 + y2) / 2)
  } else if (w.circle) {
    ;[x, y] = p.to(w.circle[0], w.circle[1])
    c.arc(x, y, w.circle[2] * p.scale, 0, 7)
  }
  const overhead = level !== undefined && w.low > level + 100
  c.fillStyle = pal['border-emphasized']!
  c.strokeStyle = pal['fg-muted']!
  c.lineWidth = 1
  c.globalAlpha = 0.2 + (0.8 * w.high) / tall
  if (there(w, copy) && !overhead) c.fill()
  else c.setLineDash([4, 4])
  c.globalAlpha = 1
  c.stroke()
  c.setLineDash([])
  const arrow = { east: '→', south: '↓', west: '←', north: '↑' }[w.rises ?? ''] ?? ''
  const [mx, my] = p.from(x, y)
  if (w.high < tall && !overhead && floorAt(g, copy, mx, my, level) <= w.high)
    labels.push({ x, y: y + 4, text: `${arrow}${height(w.high)}`, bold: false, rank: -1 })
}

/** How high a body is, behind its name; nothing on flat ground. */
const high = ({ levels }: Scene, s: Sheet) => (levels.length ? ` ${height(s.height())}` : '')

/** Bodies that are not on the level that is looked at are faint. */
const fade = ({ level, levels }: Scene, s: Sheet) => (on(level, levels, s.height()) ? 1 : 0.3)

function zone({ c, copy, p, pal, labels }: Scene, z: Sheet) {
  const at = z.pos()
  const size = z.pos('size')
  if (!at || !size) return
  const holder = z.num('holder')
  const team = holder ? teamNo(copy, holder) || teamNo(copy, copy.sheet(holder)?.num('team') ?? 0) : 0
  const [x, y] = p.to(...at)
  const [w, h] = [size[0] * p.scale, size[1] * p.scale]
  c.beginPath()
  if (h) c.rect(x - w, y - h, 2 * w, 2 * h)
  else c.arc(x, y, w, 0, 7)
  if (holder) {
    c.globalAlpha = 0.2
    c.fillStyle = pal[`${teamColours[team]}-solid`]!
    c.fill()
    c.globalAlpha = 1
  }
  c.setLineDash([6, 4])
  c.lineWidth = z.flag('contested') ? 3 : 1.5
  c.strokeStyle = z.flag('contested') ? pal['red-solid']! : pal['fg-muted']!
  c.stroke()
  c.setLineDash([])
  const progress = z.num('progress')
  if (progress > 0 && progress < 1) {
    c.beginPath()
    c.lineWidth = 4
    c.strokeStyle = pal.fg!
    c.arc(x, y, Math.min(w, h || w) * 0.6, -Math.PI / 2, -Math.PI / 2 + progress * 2 * Math.PI)
    c.stroke()
  }
  labels.push({
    x,
    y: y + 4,
    text: `${holder ? `${shapes[team] ?? shapes[0]} ` : ''}${nameOf(copy, z.id)}`,
    bold: false,
    rank: 1,
  })
}

function piece(scene: Scene, s: Sheet) {
  const { c, source, copy, p, pal, labels } = scene
  if (!s.pos()) return
  c.globalAlpha = fade(scene, s)
  const kind = copy.book.pieces?.find((k) => k.name === s.text('kind'))
  const [x, y] = p.to(...placeOf(source, s))
  const r = Math.max((kind?.radius ?? 300) * p.scale, 3)
  c.fillStyle = pal['yellow-solid']!
  c.strokeStyle = pal.fg!
  c.lineWidth = 1
  c.beginPath()
  if (kind?.flies) c.arc(x, y, Math.max(r, 2.5), 0, 7)
  else c.rect(x - r, y - r, 2 * r, 2 * r)
  c.fill()
  c.stroke()
  c.globalAlpha = 1
  if (!kind?.flies) labels.push({ x, y: y - r - 4, text: kind?.title ?? s.text('kind'), bold: false, rank: 0 })
}

function creature(scene: Scene, s: Sheet) {
  const { c, source, copy, p, pal, labels } = scene
  if (!s.pos()) return
  c.globalAlpha = fade(scene, s)
  const kind = copy.book.creatures?.find((k) => k.name === s.text('kind'))
  const [x, y] = p.to(...placeOf(source, s))
  const r = Math.max((kind?.radius ?? 400) * p.scale, 5)
  const team = teamNo(copy, s.num('team'))
  c.fillStyle = pal[team ? `${teamColours[team]}-solid` : 'red-solid']!
  c.strokeStyle = pal.bg!
  c.lineWidth = 1.5
  c.beginPath()
  c.moveTo(x, y - r * 1.3)
  c.lineTo(x + r * 1.3, y)
  c.lineTo(x, y + r * 1.3)
  c.lineTo(x - r * 1.3, y)
  c.closePath()
  c.fill()
  c.stroke()
  c.globalAlpha = 1
  labels.push({ x, y: y - r * 1.3 - 4, text: (kind?.title ?? s.text('kind')) + high(scene, s), bold: false, rank: 1 })
}

function player(scene: Scene, s: Sheet, look: Look, trails: Trails) {
  const { c, source, copy, p, pal, labels } = scene
  const at = placeOf(source, s)
  const [x, y] = p.to(...at)
  const r = Math.max((copy.book.radius || 500) * p.scale, 6)
  const team = teamNo(copy, s.num('team'))
  const colour = teamColours[team] ?? 'gray'
  const alive = s.flag('alive')
  if (look.trails && alive) {
    trails.add(s.id, at)
    const past = trails.get(s.id)
    c.strokeStyle = pal[`${colour}-solid`]!
    c.globalAlpha = 0.35
    c.lineWidth = 2
    c.beginPath()
    for (const q of past) c.lineTo(...p.to(...q))
    c.stroke()
  }
  c.globalAlpha = alive ? fade(scene, s) : 0.3
  c.fillStyle = pal[`${colour}-solid`]!
  c.strokeStyle = s.id === look.me ? pal.fg! : pal.bg!
  c.lineWidth = s.id === look.me ? 3 : 1.5
  if (alive && s.get('yaw') !== undefined) wedge(c, (s.num('yaw') / 65536) * 2 * Math.PI, x, y, r)
  body(c, team, x, y, r)
  c.fill()
  c.stroke()
  if (s.id === look.target) {
    c.strokeStyle = pal['red-solid']!
    c.lineWidth = 2
    c.beginPath()
    c.arc(x, y, r + 5, 0, 7)
    c.stroke()
  }
  if (!alive) {
    c.strokeStyle = pal.fg!
    c.lineWidth = 2
    c.beginPath()
    c.moveTo(x - r, y - r)
    c.lineTo(x + r, y + r)
    c.moveTo(x + r, y - r)
    c.lineTo(x - r, y + r)
    c.stroke()
  }
  c.globalAlpha = 1
  const me = s.id === look.me
  labels.push({ x, y: y - r - 5, text: s.text('name') + high(scene, s), bold: me, rank: me ? 4 : alive ? 3 : 2 })
}

/** Where a player looks. */
function wedge(c: CanvasRenderingContext2D, turn: number, x: number, y: number, r: number) {
  const tip = r * 2.5
  c.beginPath()
  for (const [side, far] of [
    [-0.7, r],
    [0, tip],
    [0.7, r],
  ] as const)
    c.lineTo(x + Math.cos(turn + side) * far, y + Math.sin(turn + side) * far)
  c.closePath()
  c.fill()
  c.stroke()
}

/** The outline of a player's body: each team has its own shape. */
function body(c: CanvasRenderingContext2D, team: number, x: number, y: number, r: number) {
  const corners = [0, 3, 4, 4, 5, 6, 5, 6, 3][team] ?? 0
  c.beginPath()
  if (corners === 0) return c.arc(x, y, r, 0, 7)
  const turn =
    [0, -Math.PI / 2, -Math.PI / 4, -Math.PI / 2, -Math.PI / 2, 0, Math.PI / 2, Math.PI / 6, Math.PI / 2][team] ?? 0
  for (let i = 0; i < corners; i++) {
    const a = turn + (i * 2 * Math.PI) / corners
    const [px, py] = [x + Math.cos(a) * r * 1.2, y + Math.sin(a) * r * 1.2]
    if (i) c.lineTo(px, py)
    else c.moveTo(px, py)
  }
  c.closePath()
}

/** Labels as they are drawn, so that each is written once. */
const written = new Map<string, HTMLCanvasElement>()
const maxWritten = 400
const labelHeight = 16

function inked(l: Label, pal: Palette): HTMLCanvasElement {
  const text = l.text.length > 18 ? `${l.text.slice(0, 17)}…` : l.text
  const fill = l.rank > 1 ? pal.fg! : pal['fg-muted']!
  const ratio = devicePixelRatio || 1
  const key = `${text}/${l.bold}/${fill}/${ratio}`
  const had = written.get(key)
  if (had) return had
  const el = document.createElement('canvas')
  const c = el.getContext('2d')
  if (c) {
    const font = `${l.bold ? 700 : 500} 11px "Inter Variable", sans-serif`
    c.font = font
    el.width = Math.ceil((c.measureText(text).width + 6) * ratio)
    el.height = labelHeight * ratio
    c.scale(ratio, ratio)
    c.font = font
    c.lineJoin = 'round'
    c.lineWidth = 3
    c.strokeStyle = pal.bg!
    c.strokeText(text, 3, 12)
    c.fillStyle = fill
    c.fillText(text, 3, 12)
  }
  if (written.size >= maxWritten) written.clear()
  written.set(key, el)
  return el
}

/** Writes labels, the most important first; one that would stand over another gives way, or moves. */
function write({ c, labels, p, pal }: Scene) {
  const taken: [number, number, number, number][] = []
  const ratio = devicePixelRatio || 1
  for (const l of labels.sort((a, b) => b.rank - a.rank)) {
    const ink = inked(l, pal)
    const w = ink.width / ratio / 2
    if (l.x < -w || l.x > p.width + w || l.y < 0 || l.y > p.height + 20) continue
    const x = Math.min(Math.max(l.x, w), p.width - w)
    const spot = [l.y, l.y - 13, l.y + 30].find((y0) => {
      const y = Math.max(y0, 11)
      return !taken.some(([a, b, d, e]) => x - w < d && x + w > a && y - 10 < e && y + 2 > b)
    })
    if (spot === undefined) continue
    const y = Math.max(spot, 11)
    taken.push([x - w, y - 10, x + w, y + 2])
    c.drawImage(ink, Math.round(x - w), Math.round(y - 12), ink.width / ratio, labelHeight)
  }
}
