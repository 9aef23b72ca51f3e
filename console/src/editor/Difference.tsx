import { unifiedMergeView } from '@codemirror/merge'
import { yaml } from '@codemirror/lang-yaml'
import { EditorState } from '@codemirror/state'
import { EditorView, lineNumbers } from '@codemirror/view'
import { useEffect, useRef } from 'react'

/** What has changed between two texts. */
export function Difference({ was, now }: { was: string; now: string }) {
  const place = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (!place.current) return
    const v = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: now,
        extensions: [
          lineNumbers(),
          yaml(),
          EditorState.readOnly.of(true),
          EditorView.editable.of(false),
          unifiedMergeView({ original: was, mergeControls: false, collapseUnchanged: { margin: 3, minSize: 6 } }),
          EditorView.contentAttributes.of({ 'aria-label': 'What changed', tabindex: '0' }),
          EditorView.theme({
            '&': { fontSize: '13px', maxHeight: '640px' },
            '.cm-scroller': { fontFamily: 'var(--chakra-fonts-mono)', overflow: 'auto' },
            '.cm-gutters': {
              backgroundColor: 'var(--chakra-colors-bg-muted)',
              color: 'var(--chakra-colors-fg-muted)',
              border: 'none',
            },
          }),
        ],
      }),
    })
    return () => v.destroy()
  }, [was, now])
  return <div ref={place} />
}
