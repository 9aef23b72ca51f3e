import { Text, type TextProps } from '@chakra-ui/react'
import { useCallback, useRef } from 'react'
import type { Sheet } from 'turnvex-client'
import { useFrames } from './connections.ts'
import { shortClock } from './fields.ts'
import { clockOf, type Source } from './source.ts'

/** A running clock. It is written on frames, outside of React. */
export function Clock({
  source,
  sheet,
  field,
  write = shortClock,
  ...rest
}: { source: Source; sheet: Sheet | undefined; field: string; write?: (ms: number) => string } & TextProps) {
  const ref = useRef<HTMLParagraphElement>(null)
  const draw = useCallback(() => {
    const text = write(clockOf(source, sheet, field))
    if (ref.current && ref.current.textContent !== text) ref.current.textContent = text
  }, [source, sheet, field, write])
  useFrames(draw)
  return <Text as="span" ref={ref} fontVariantNumeric="tabular-nums" {...rest} />
}
