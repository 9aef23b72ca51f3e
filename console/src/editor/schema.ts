// Completion and help from the rulebooks' JSON Schema, by where in the text the cursor stands.
import type { Completion } from '@codemirror/autocomplete'
import { http } from '../app/session.ts'
import { functionHelp, keyHelp, reference, type Help } from './reference.ts'

interface Schema {
  properties?: Record<string, Schema>
  additionalProperties?: Schema | boolean
  items?: Schema
  anyOf?: Schema[]
  oneOf?: Schema[]
  enum?: unknown[]
  const?: unknown
  description?: string
  $ref?: string
  $defs?: Record<string, Schema>
  definitions?: Record<string, Schema>
}

let loading: Promise<Schema> | undefined
const schema = () => {
  loading ??= http.call('GET /v1/rulebooks/schema').then(
    (s) => s as Schema,
    (e) => {
      loading = undefined
      throw e
    },
  )
  return loading
}

/** The keys that lead to a place in YAML: from how far lines are indented, and the braces around it. */
export function pathAt(text: string, pos: number): string[] {
  const before = text.slice(0, pos)
  const lines = before.split('\n')
  const here = lines.at(-1) ?? ''
  const flow: string[] = []
  let depth = 0
  for (let i = here.length - 1; i >= 0; i--) {
    if (here[i] === '}' || here[i] === ']') depth++
    if (here[i] !== '{' && here[i] !== '[') continue
    if (depth > 0) {
      depth--
      continue
    }
    const key = /([\w-]+)\s*:\s*$/.exec(here.slice(0, i))?.[1]
    flow.unshift(key ?? '[]')
  }
  const own = /^(\s*(?:- )*)/.exec(here)?.[1]?.length ?? 0
  const path: string[] = []
  const first = /^\s*(?:- )*([\w-]+)\s*:/.exec(here)?.[1]
  if (flow.length > 0 && first && flow[0] !== first) flow.unshift(first)
  let indent = own
  for (let i = lines.length - 2; i >= 0; i--) {
    const m = /^(\s*)((?:- )*)([\w-]+)\s*:/.exec(lines[i] ?? '')
    if (!m) continue
    const at = (m[1] ?? '').length + (m[2] ?? '').length // where the key stands, behind the dash of a list
    if (at >= indent) continue
    path.unshift(m[3] ?? '')
    indent = at
  }
  return [...path, ...flow.filter((f) => f !== '[]')]
}

/** The schemas that a place may have. */
export function follow(root: Schema, path: string[]): Schema[] {
  let now = resolve(root, root)
  for (const key of path) {
    now = now.flatMap((s) => {
      const own = s.properties?.[key]
      if (own) return resolve(root, own)
      return typeof s.additionalProperties === 'object' ? resolve(root, s.additionalProperties) : []
    })
  }
  return now
}

/** The names of the objects that have been met. */
const objects = new WeakMap<Schema, string>()

/** A schema with all that it may be: references, choices, and what its lists hold. */
function resolve(root: Schema, s: Schema, depth = 0): Schema[] {
  if (depth > 6) return []
  if (s.$ref) {
    const name = decodeURIComponent(s.$ref.split('/').at(-1) ?? '')
    const to = root.$defs?.[name] ?? root.definitions?.[name]
    if (to) objects.set(to, name)
    return to ? resolve(root, to, depth + 1) : []
  }
  const more = [...(s.anyOf ?? []), ...(s.oneOf ?? []), ...(s.items ? [s.items] : [])]
  return [s, ...more.flatMap((m) => resolve(root, m, depth + 1))]
}

/** What fits at a place: keys, or the words of a value. */
export async function keysAt(text: string, pos: number): Promise<Completion[]> {
  const root = await schema().catch(() => undefined)
  if (!root) return []
  const line = text.slice(text.lastIndexOf('\n', pos - 1) + 1, pos)
  const value = /([\w-]+)\s*:\s*[\w-]*$/.exec(line)
  const path = pathAt(text, pos)
  const out = new Map<string, Completion>()
  if (value && path.at(-1) !== value[1]) {
    for (const s of follow(root, [...path, value[1] ?? '']))
      for (const w of s.enum ?? (s.const === undefined ? [] : [s.const]))
        out.set(String(w), { label: String(w), type: 'constant' })
    return [...out.values()]
  }
  for (const s of follow(root, path))
    for (const [key, of] of Object.entries(s.properties ?? {}))
      out.set(key, { label: key, type: 'property', info: of.description, apply: `${key}: ` })
  return [...out.values()]
}

/** What a word means where it stands: a key, by the reference and otherwise by the schema; or a function. */
export async function helpAt(text: string, pos: number, word: string): Promise<Help | undefined> {
  const [root, page] = await Promise.all([schema().catch(() => undefined), reference().catch(() => '')])
  if (!root) return undefined
  for (const s of follow(root, pathAt(text, pos))) {
    const own = s.properties?.[word]
    if (!own) continue
    const help = keyHelp(page, objects.get(s) ?? '', word)
    if (help) return help
    if (own.description) return { title: word, text: own.description, anchor: '' }
  }
  return functionHelp(page, word)
}
