import { useCallback, useEffect, useRef } from 'react'
import type { FieldInfo } from 'turnvex-client'
import { bounds, label, share, shown } from './fields.ts'
import type { Source } from './source.ts'
import './match.css'

/** A share of something: what it is at once, and behind it, slowly, what it was. It is written outside of React. */
export function Bar({ source, id, field }: { source: Source; id: number; field: FieldInfo }) {
  const place = useRef<HTMLDivElement>(null)
  const meter = useRef<HTMLDivElement>(null)
  const fast = useRef<HTMLDivElement>(null)
  const slow = useRef<HTMLDivElement>(null)
  const text = useRef<HTMLSpanElement>(null)
  const draw = useCallback(() => {
    const { copy } = source
    const sheet = copy?.sheet(id)
    const v = sheet?.raw(field.name)
    const part = sheet && share(field, v, sheet)
    if (!copy || !place.current || !meter.current || !fast.current || !slow.current || !text.current) return
    place.current.hidden = part === undefined
    if (part === undefined) return
    fast.current.style.transform = slow.current.style.transform = `scaleX(${part / 100})`
    place.current.dataset.low = String(part < 25)
    text.current.textContent = shown(copy, field, v)
    meter.current.ariaValueMax = String(bounds(field, sheet)?.[1] ?? 0)
    meter.current.ariaValueNow = String(v)
    meter.current.ariaValueText = text.current.textContent
  }, [source, id, field])
  useEffect(() => {
    draw()
    const keys = [`#${id}.${field.name}`, ...(field.max_by ? [`#${id}.${field.max_by}`] : [])]
    return source.watch(keys, draw)
  }, [source, id, field, draw])
  return (
    <div ref={place} className="bar" data-field={field.name}>
      <span className="bar-name" title={label(field)}>
        {label(field)}
      </span>
      {/* biome-ignore lint/a11y/useSemanticElements: a meter of the browser's cannot have a slow part */}
      <div ref={meter} className="bar-track" role="meter" aria-label={label(field)} aria-valuemin={0} aria-valuenow={0}>
        <div ref={slow} className="bar-slow" />
        <div ref={fast} className="bar-fast" />
      </div>
      <span ref={text} className="bar-text" />
    </div>
  )
}

/** A field's value, written outside of React when it changes. */
export function Value({ source, id, field }: { source: Source; id: number; field: FieldInfo }) {
  const text = useRef<HTMLSpanElement>(null)
  useEffect(() => {
    const draw = () => {
      const { copy } = source
      const now = copy ? shown(copy, field, copy.sheet(id)?.raw(field.name)) : ''
      if (text.current && text.current.textContent !== now) text.current.textContent = now
    }
    draw()
    return source.watch([`#${id}.${field.name}`], draw)
  }, [source, id, field])
  return <span ref={text} data-field={field.name} />
}
