import { Card, Stack, Text } from '@chakra-ui/react'
import type { Copy, Notice } from 'turnvex-client'
import { shown } from './fields.ts'

/** The latest notices, newest first. */
export function Events({ copy, notices }: { copy: Copy; notices: Notice[] }) {
  const latest = notices.slice(-6).reverse()
  return (
    <Card.Root flex="1">
      <Card.Body py="3">
        <Stack gap="0.5" fontSize="sm" minH="126px">
          {latest.length === 0 && <Text color="fg.muted">What happens is told here.</Text>}
          {latest.map((n, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: counted from the oldest, so that each keeps its own
            <Text key={`${n.tick} ${notices.length - i}`} truncate opacity={1 - i * 0.12}>
              <Text as="span" fontWeight="semibold">
                {n.name.replaceAll('_', ' ')}
              </Text>{' '}
              {n.to && (
                <Text as="span" color="fg.muted">
                  to {n.to}{' '}
                </Text>
              )}
              {said(copy, n)}
            </Text>
          ))}
        </Stack>
      </Card.Body>
    </Card.Root>
  )
}

function said(copy: Copy, n: Notice): string {
  const info = copy.book.notices?.find((x) => x.name === n.name)
  return Object.entries(n.with ?? {})
    .map(([name, v]) => {
      const f = info?.fields?.find((f) => f.name === name)
      return `${name}: ${f ? shown(copy, f, v) : String(v)}`
    })
    .join(', ')
}
