import { Box, HStack, NativeSelect, Stack, Text } from '@chakra-ui/react'
import { memo, useState } from 'react'
import type { Copy, Notice } from 'turnvex-client'
import { Section } from '../app/Page.tsx'
import { plainName } from '../app/words.ts'
import { useKeys, useSlowKeys } from './connections.ts'
import { label, shortClock, shown } from './fields.ts'
import { serial } from './serial.ts'
import type { Source } from './source.ts'

/** What happened, in sentences, the newest first. */
export function Events({ source, onJump }: { source: Source; onJump?: (tick: number) => void }) {
  useKeys(source, 'match+')
  useSlowKeys(source, 500, 'notices')
  const [only, setOnly] = useState('')
  const copy = source.copy
  if (!copy) return null
  const all = source.notices.filter((n) => n.name !== 'hint')
  const names = [...new Set(all.map((n) => n.name))].sort()
  const latest = all.filter((n) => !only || n.name === only).slice(-60)
  return (
    <Section
      title="Events"
      flush
      beside={
        names.length > 1 && (
          <NativeSelect.Root size="xs" w="auto">
            <NativeSelect.Field aria-label="Show only" value={only} onChange={(e) => setOnly(e.currentTarget.value)}>
              <option value="">All events</option>
              {names.map((n) => (
                <option key={n} value={n}>
                  {plainName(n)}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        )
      }
    >
      <Box h="168px" overflowY="auto" px="4" py="2" tabIndex={0} role="log" aria-label="Events" aria-live="off">
        <Stack gap="1" fontSize="sm">
          {latest.length === 0 && <Text color="fg.muted">No events yet.</Text>}
          {latest.map((n) => <Sentence key={serial(n)} copy={copy} n={n} onJump={onJump} />).reverse()}
        </Stack>
      </Box>
    </Section>
  )
}

const Sentence = memo(function Sentence({
  copy,
  n,
  onJump,
}: {
  copy: Copy
  n: Notice
  onJump?: (tick: number) => void
}) {
  const at = shortClock(((n.tick ?? 0) * 1000) / copy.rate)
  return (
    <HStack gap="2" align="baseline">
      <Text fontSize="xs" color="fg.muted" w="14" flex="none" textAlign="end">
        {onJump ? (
          <button type="button" onClick={() => onJump(n.tick ?? 0)} style={{ textDecoration: 'underline' }}>
            {at}
          </button>
        ) : (
          at
        )}
      </Text>
      <Text minW="0" overflowWrap="anywhere">
        {sentence(copy, n)}
        {n.to && (
          <Text as="span" color="fg.muted">
            {' '}
            (seen by {n.to === 'owner' ? 'one player' : n.to})
          </Text>
        )}
      </Text>
    </HStack>
  )
})

/** A notice as a sentence: who, what, whom, and the rest. */
function sentence(copy: Copy, n: Notice): string {
  const info = copy.book.notices?.find((x) => x.name === n.name)
  const values = Object.entries(n.with ?? {}).map(([name, v]) => {
    const f = info?.fields?.find((f) => f.name === name)
    return {
      name,
      ref: f?.type === 'ref',
      text: f ? shown(copy, f, v) : String(v),
      label: f ? label(f) : plainName(name),
    }
  })
  const verb = n.name.replaceAll('_', ' ')
  const who = values.find((v) => v.ref && doers.has(v.name))
  const whom = values.find((v) => v.ref && v !== who)
  const rest = values.filter((v) => v !== who && v !== whom)
  let out = who ? `${who.text} ${verb}` : plainName(n.name)
  if (whom) out += who ? ` ${whom.text}` : `: ${whom.text}`
  if (rest.length) out += ` (${rest.map((v) => `${v.label.toLowerCase()} ${v.text}`).join(', ')})`
  return `${out}.`
}

const doers = new Set(['by', 'who', 'player', 'from', 'me', 'actor', 'shooter', 'scorer'])
