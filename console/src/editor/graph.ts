// Where the phases and the ways between them stand in the picture of a rulebook's flow.
import type { Answer } from 'turnvex-client'
import { plainName } from '../app/words.ts'

export type Flow = NonNullable<Answer<'POST /v1/rulebooks/check'>['flow']>

export const nodeWidth = 170
export const nodeHeight = 36
const gap = 34
const lane = 26
const side = 160

export interface Node {
  name: string
  title: string
  note: string
  frozen: boolean
  x: number
  y: number
}

export interface Edge {
  key: string
  path: string
  why: string
  label: string
  x: number
  y: number
}

/**
 * Lays phases one below the other: ways to the next one go straight down, those that skip some pass on the
 * right, and those that lead back on the left.
 */
export function lay(flow: Flow): { nodes: Node[]; edges: Edge[]; width: number; height: number } {
  const place = new Map(flow.map((p, i) => [p.name, i]))
  const end = flow.length
  const ways = flow.flatMap((p, from) => {
    const byTarget = new Map<number, string[]>()
    for (const l of p.leads ?? []) {
      const to = l.to ? (place.get(l.to) ?? end) : end
      byTarget.set(to, [...(byTarget.get(to) ?? []), l.why])
    }
    return [...byTarget].map(([to, why]) => ({ from, to, why: why.join('; ') }))
  })
  const back = ways.filter((w) => w.to <= w.from).sort((a, b) => a.from - a.to - (b.from - b.to))
  const skip = ways.filter((w) => w.to > w.from + 1).sort((a, b) => a.to - a.from - (b.to - b.from))
  const left = back.length ? back.length * lane + 14 : 2
  const y = (i: number) => 2 + i * (nodeHeight + gap)
  const nodes: Node[] = flow.map((p, i) => ({
    name: p.name,
    title: short(p.title === p.name ? plainName(p.name) : p.title, 22),
    note: short(
      [p.length, p.round && 'round', p.frozen && 'inputs frozen', p.by_effects && 'effects lead here']
        .filter(Boolean)
        .join(' · '),
      30,
    ),
    frozen: p.frozen ?? false,
    x: left,
    y: y(i),
  }))
  nodes.push({ name: '', title: 'The end', note: '', frozen: false, x: left, y: y(end) })
  const edges = ways.map((w): Edge => {
    const key = `${w.from} ${w.to}`
    if (w.to === w.from + 1) {
      const x = left + 24
      return {
        ...told(w.why, 27),
        key,
        path: `M${x},${y(w.from) + nodeHeight} V${y(w.to) - 1}`,
        x: x + 8,
        y: y(w.to) - 13,
      }
    }
    const right = w.to > w.from
    const n = (right ? skip : back).indexOf(w)
    const border = right ? left + nodeWidth : left
    const out = border + (right ? 1 : -1) * (12 + n * lane)
    const [a, b] = [y(w.from) + nodeHeight / 2 + (right ? 8 : -8), y(w.to) + nodeHeight / 2 + (right ? -6 : 6)]
    const bend = right ? 8 : -8
    const down = b > a ? 8 : -8
    return {
      ...told(right ? w.why : '', 26),
      why: w.why,
      key,
      path: `M${border},${a} H${out - bend} Q${out},${a} ${out},${a + down} V${b - down} Q${out},${b} ${out - bend},${b} H${border + (right ? 1 : -1)}`,
      x: out + 5,
      y: (a + b) / 2 + n * 13,
    }
  })
  return {
    nodes,
    edges,
    width: left + nodeWidth + (skip.length ? skip.length * lane + side : 90),
    height: y(end) + nodeHeight + 4,
  }
}

const told = (why: string, most: number) => ({ why, label: short(why, most) })

const short = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text)
