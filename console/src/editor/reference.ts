// Help from the rulebook reference: the row of a key, the example of its section, a function of expressions.

/** What the reference says of a word. */
export interface Help {
  /** What stands above: the key, or how a function is called. */
  title: string
  /** What it may hold, and what it is if it is not given. */
  kind?: string
  text: string
  example?: string
  /** The anchor of its section in the reference. */
  anchor: string
}

let loading: Promise<string> | undefined

/** The text of the reference, fetched once. */
export const reference = () => {
  loading ??= import('../../../docs/rulebook.md?raw').then(
    (m: { default: string }) => m.default,
    (e) => {
      loading = undefined
      throw e
    },
  )
  return loading
}

/** The lines of a section, up to the next one. */
function section(page: string, heading: string): string {
  const start = page.toLowerCase().indexOf(`\n## ${heading.toLowerCase()}\n`)
  if (start < 0) return ''
  const end = page.indexOf('\n## ', start + 4)
  return page.slice(start + 1, end < 0 ? undefined : end)
}

const anchorOf = (heading: string) =>
  heading
    .toLowerCase()
    .replace(/[^\w\s-]/g, '')
    .replace(/\s+/g, '-')

/** Cells of a row of a table, without the marks of the language of the page. */
function cells(row: string): string[] {
  return row
    .split(/(?<!\\)\|/)
    .slice(1, -1)
    .map((c) => plain(c.trim()))
}

const plain = (text: string) =>
  text
    .replace(/\[([^\]]*)\]\([^)]*\)/g, '$1')
    .replaceAll('`', '')
    .replaceAll('\\|', '|')

/** What the reference says of a key of an object of the schema. */
export function keyHelp(page: string, object: string, key: string): Help | undefined {
  const heading = object.replaceAll('_', ' ')
  const text = section(page, heading)
  const rows = text.split('\n').filter((l) => l.startsWith('| ') && cells(l)[0] === key)
  if (!rows[0]) return likeHelp(page, text, key)
  const [, type = '', initial = ''] = cells(rows[0])
  const does = rows.map((r) => cells(r)[3]).join(' ') // effects say one after the other what it does beside them
  const kind = [type, initial && (initial === 'required' ? 'required' : `default ${initial}`)]
    .filter(Boolean)
    .join('; ')
  const examples = [...text.matchAll(/```yaml\n([\s\S]*?)```/g)].map((m) => m[1] ?? '')
  const example = examples.find((e) => new RegExp(`\\b${key}:`).test(e))
  return { title: key, kind, text: does, example: example && near(example, key), anchor: anchorOf(heading) }
}

/** What the reference says of a key that an object has as another one has it. */
function likeHelp(page: string, text: string, key: string): Help | undefined {
  const line = text.split('\n').find((l) => l.startsWith('As in [') && l.includes(`\`${key}\``))
  const other = /^As in \[([^\]]*)\]/.exec(line ?? '')?.[1]
  return other ? keyHelp(page, other, key) : undefined
}

/** At most twelve lines of an example, around the first that has the key. */
function near(example: string, key: string): string {
  const lines = example.trimEnd().split('\n')
  const at = lines.findIndex((l) => new RegExp(`\\b${key}:`).test(l))
  const from = lines.length <= 12 ? 0 : Math.max(Math.min(at - 4, lines.length - 12), 0)
  return lines.slice(from, from + 12).join('\n')
}

/** What the reference says of a function of expressions. */
export function functionHelp(page: string, word: string): Help | undefined {
  const text = section(page, 'Expressions').replace(/\s*\n\s*/g, ' ')
  const m = new RegExp(`\`(${word}(?:\\([^\`]*\\))?)\``).exec(text)
  if (!m) return undefined
  const rest = text.slice(m.index + m[0].length)
  const end = rest.search(/, `|,? and `|\. |; |, and|\|/)
  const does = plain(rest.slice(0, Math.max(end, 0)).trim())
  return { title: m[1] ?? word, text: does || 'Used in expressions.', anchor: 'expressions' }
}
