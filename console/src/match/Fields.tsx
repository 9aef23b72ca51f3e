import { Box, Button, SimpleGrid, Stack, Text } from '@chakra-ui/react'
import { useState } from 'react'
import type { Copy, FieldInfo, Sheet } from 'turnvex-client'
import { CopyButton, Section } from '../app/Page.tsx'
import { Clock } from './Clock.tsx'
import { useKeys } from './connections.ts'
import { label, nameOf, shown } from './fields.ts'
import type { Source } from './source.ts'

/** All that is known, sheet by sheet; between matches nothing of the last one. */
export function Fields({ source }: { source: Source }) {
  const [open, setOpen] = useState(false)
  return (
    <Section
      title="Every field"
      flush={!open}
      beside={
        <Button size="xs" variant="ghost" onClick={() => setOpen(!open)} aria-expanded={open}>
          {open ? 'Hide' : 'Show'}
        </Button>
      }
    >
      {open && <Sheets source={source} />}
    </Section>
  )
}

function Sheets({ source }: { source: Source }) {
  useKeys(source, 'any')
  const copy = source.copy
  if (!copy) return null
  const sheets = [...copy.sheets.values()]
    .filter((s) => s.kind !== 'record' || s.fields().length > 0)
    .sort((a, b) => a.id - b.id)
  return (
    <SimpleGrid columns={{ base: 1, md: 2, xl: 3 }} gap="4">
      {sheets.slice(0, 120).map((s) => (
        <One key={s.id} source={source} copy={copy} s={s} />
      ))}
    </SimpleGrid>
  )
}

/** Fields that say nothing while no match is on. */
const ofMatch = new Set(['pos', 'alive', 'respawn', 'place', 'outcome', 'rounds', 'playing', 'kits'])

function One({ source, copy, s }: { source: Source; copy: Copy; s: Sheet }) {
  const name =
    s.kind === 'record'
      ? `Record of ${nameOf(copy, s.owner)}`
      : s.kind === 'lobby' || s.kind === 'match'
        ? s.kind
        : nameOf(copy, s.id)
  const fields = s.fields().filter((f) => copy.match || !ofMatch.has(f.name))
  return (
    <Stack gap="1" fontSize="xs" minW="0">
      <Text
        fontWeight="semibold"
        fontSize="sm"
        textTransform={s.kind === 'lobby' || s.kind === 'match' ? 'capitalize' : undefined}
        dir="auto"
      >
        {name}{' '}
        <Text as="span" color="fg.muted" fontWeight="normal">
          {s.kind} {s.id}
        </Text>
      </Text>
      <Box as="dl" display="grid" gridTemplateColumns="minmax(0, 2fr) minmax(0, 3fr)" columnGap="3">
        {fields.map((f) => (
          <Value key={f.no} source={source} copy={copy} s={s} f={f} />
        ))}
      </Box>
    </Stack>
  )
}

function Value({ source, copy, s, f }: { source: Source; copy: Copy; s: Sheet; f: FieldInfo }) {
  const text = shown(copy, f, s.raw(f.name), Math.floor(source.tick()))
  const long = f.type === 'text' && text.length > 24
  return (
    <>
      <Box as="dt" color="fg.muted" truncate title={f.name}>
        {label(f)}
      </Box>
      <Box as="dd" truncate title={text}>
        {f.type === 'clock' ? <Clock source={source} sheet={s} field={f.name} fontSize="inherit" /> : text || '–'}
        {long && <CopyButton text={text} />}
      </Box>
    </>
  )
}
