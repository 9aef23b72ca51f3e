import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { bracketMatching, HighlightStyle, indentOnInput, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { EditorState } from '@codemirror/state'
import { EditorView, highlightActiveLine, hoverTooltip, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useImperativeHandle, useRef, type Ref } from 'react'
import type { Answer } from 'turnvex-client'
import { http } from '../app/session.ts'
import { useMode } from '../app/theme.tsx'
import type { Help } from './reference.ts'
import { helpAt, keysAt } from './schema.ts'

type Check = Answer<'POST /v1/rulebooks/check'>
type Problem = NonNullable<Check['problems']>[number]

export interface EditorHandle {
  jump: (line: number, column: number) => void
  /** Takes up what the checker proposes. */
  fix: (p: Problem) => void
}

/** How long nobody types before the service's checker is asked. */
const pause = 350

/** A rulebook's text, checked by the service as one types. */
export function Editor({
  text,
  onChange,
  onCheck,
  ref,
}: {
  text: string
  onChange: (text: string) => void
  onCheck: (c: Check | undefined, e?: Error) => void
  ref: Ref<EditorHandle>
}) {
  const place = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView>(undefined)
  const { mode } = useMode()
  const calls = useRef({ onChange, onCheck })
  calls.current = { onChange, onCheck }
  // biome-ignore lint/correctness/useExhaustiveDependencies: the text is the editor's own from then on
  useEffect(() => {
    if (!place.current) return
    let timer: ReturnType<typeof setTimeout>
    let turn: AbortController | undefined
    const check = (v: EditorView) => {
      turn?.abort()
      turn = new AbortController()
      const { signal } = turn
      http.call('POST /v1/rulebooks/check', { body: v.state.doc.toString(), signal }).then(
        (c) => {
          v.dispatch(
            setDiagnostics(
              v.state,
              (c.problems ?? []).map((p) => diagnostic(v, p)),
            ),
          )
          calls.current.onCheck(c)
        },
        (e: Error) => signal.aborted || calls.current.onCheck(undefined, e),
      )
    }
    const v = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          history(),
          highlightActiveLine(),
          bracketMatching(),
          indentOnInput(),
          indentUnit.of('  '),
          yaml(),
          syntaxHighlighting(colours),
          lintGutter(),
          autocompletion({ override: [complete] }),
          hoverTooltip(hover),
          keymap.of([...defaultKeymap, ...historyKeymap, indentWithTab]),
          EditorView.contentAttributes.of({ 'aria-label': 'Rulebook' }),
          EditorView.theme(look),
          EditorView.updateListener.of((u) => {
            if (!u.docChanged) return
            calls.current.onChange(u.state.doc.toString())
            clearTimeout(timer)
            timer = setTimeout(() => check(u.view), pause)
          }),
        ],
      }),
    })
    v.scrollDOM.tabIndex = 0
    view.current = v
    check(v)
    return () => {
      clearTimeout(timer)
      turn?.abort()
      v.destroy()
    }
  }, [])
  useImperativeHandle(ref, () => ({
    jump: (line, column) => {
      const v = view.current
      if (!v) return
      const at = position(v, line, column)
      v.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) })
      v.focus()
    },
    fix: (p) => {
      if (view.current) fix(view.current, p)
    },
  }))
  return <div ref={place} data-mode={mode} data-test="editor" />
}

const look = {
  '&': {
    fontSize: '13px',
    maxHeight: '640px',
    color: 'var(--chakra-colors-fg)',
    backgroundColor: 'var(--chakra-colors-bg)',
  },
  '.cm-scroller': { fontFamily: 'var(--chakra-fonts-mono)', overflow: 'auto' },
  '.cm-gutters': {
    backgroundColor: 'var(--chakra-colors-bg-muted)',
    color: 'var(--chakra-colors-fg-muted)',
    border: 'none',
  },
  '.cm-activeLine': { backgroundColor: 'var(--chakra-colors-bg-subtle)' },
  '.cm-cursor': { borderLeftColor: 'var(--chakra-colors-fg)' },
  '.cm-tooltip': {
    backgroundColor: 'var(--chakra-colors-bg)',
    color: 'var(--chakra-colors-fg)',
    maxWidth: '480px',
    padding: '2px 6px',
  },
  '.cm-help strong': { marginInlineEnd: '8px' },
  '.cm-help small': { color: 'var(--chakra-colors-fg-muted)' },
  '.cm-help p': { margin: '2px 0 4px' },
  '.cm-help pre': {
    fontFamily: 'var(--chakra-fonts-mono)',
    fontSize: '12px',
    backgroundColor: 'var(--chakra-colors-bg-muted)',
    padding: '4px 6px',
    overflowX: 'auto',
  },
  '.cm-help a': { textDecoration: 'underline', color: 'var(--chakra-colors-teal-fg)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--chakra-colors-teal-muted) !important',
  },
}

/** Keys, words and comments, with a contrast in both modes. */
const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--chakra-colors-teal-fg)' },
  { tag: [tags.string, tags.content], color: 'var(--chakra-colors-fg)' },
  { tag: [tags.number, tags.bool, tags.keyword], color: 'var(--chakra-colors-purple-fg)' },
  { tag: tags.comment, color: 'var(--chakra-colors-fg-muted)', fontStyle: 'italic' },
])

function position(v: EditorView, line: number, column: number): number {
  const l = v.state.doc.line(Math.min(Math.max(line, 1), v.state.doc.lines))
  return Math.min(l.from + Math.max(column - 1, 0), l.to)
}

/** Where a problem stands: the word at its place. */
function span(v: EditorView, p: Problem): [number, number] {
  const from = position(v, p.line, p.column)
  const word = v.state.wordAt(from)
  return word ? [from, Math.max(word.to, from)] : [from, Math.min(from + 1, v.state.doc.length)]
}

function diagnostic(v: EditorView, p: Problem): Diagnostic {
  const [from, to] = span(v, p)
  return {
    from,
    to,
    severity: p.severity === 'error' ? 'error' : 'warning',
    message: p.message,
    actions: p.nearest ? [{ name: `Change to ${p.nearest}`, apply: (v) => fix(v, p) }] : [],
  }
}

function fix(v: EditorView, p: Problem) {
  if (!p.nearest) return
  const [from] = span(v, p)
  const rest = v.state.sliceDoc(from, v.state.doc.line(p.line).to)
  const wrong = /^["']?[\w.-]+["']?/.exec(rest)?.[0] ?? ''
  v.dispatch({ changes: { from, to: from + wrong.length, insert: p.nearest } })
  v.focus()
}

async function complete(c: CompletionContext): Promise<CompletionResult | null> {
  const word = c.matchBefore(/[\w-]*/)
  if (!word || (word.from === word.to && !c.explicit)) return null
  const options = await keysAt(c.state.doc.toString(), c.pos)
  return options.length ? { from: word.from, options, validFor: /^[\w-]*$/ } : null
}

async function hover(v: EditorView, pos: number) {
  const word = v.state.wordAt(pos)
  if (!word) return null
  const help = await helpAt(v.state.doc.toString(), word.from, v.state.sliceDoc(word.from, word.to))
  if (!help) return null
  return {
    pos: word.from,
    end: word.to,
    create: () => {
      return { dom: helpBox(help) }
    },
  }
}

/** Help as a tooltip: the word, what it may hold, what it does, an example, and the way to the reference. */
function helpBox(help: Help): HTMLElement {
  const dom = document.createElement('div')
  dom.className = 'cm-help'
  const add = (tag: string, text: string) => {
    const e = dom.appendChild(document.createElement(tag))
    e.textContent = text
    return e
  }
  add('strong', help.title)
  if (help.kind) add('small', help.kind)
  add('p', help.text)
  if (help.example) add('pre', help.example)
  if (help.anchor) {
    const link = add('a', 'In the reference') as HTMLAnchorElement
    link.href = `/docs/rulebook#${help.anchor}`
    link.target = '_blank'
  }
  return dom
}
