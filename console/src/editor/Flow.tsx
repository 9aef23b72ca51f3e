import { Box, HStack, Stack, Text } from '@chakra-ui/react'
import { Section } from '../app/Page.tsx'
import { plainName } from '../app/words.ts'

interface Phase {
  name: string
  length?: string
  leads: string[]
}

/** The phases in the order in which they follow each other, as the text has them. */
export function Flow({ text }: { text: string }) {
  const phases = phasesOf(text)
  if (phases.length === 0) return null
  return (
    <Section title="Flow of phases">
      <Stack as="ol" gap="0" listStyleType="none" ps="0">
        {phases.map((p, i) => (
          <Box as="li" key={p.name}>
            <HStack gap="3" borderWidth="1px" rounded="sm" px="3" py="1.5">
              <Text fontWeight="semibold">{plainName(p.name)}</Text>
              {p.length && <Text color="fg.muted">{p.length}</Text>}
            </HStack>
            <Text color="fg.muted" fontSize="xs" ps="4" py="0.5">
              ↓{' '}
              {p.leads.length
                ? p.leads.map((t) => (t === 'end' ? 'the end' : plainName(t))).join(' or ')
                : i + 1 < phases.length
                  ? plainName(phases[i + 1]?.name ?? '')
                  : 'the end, or the next round'}
            </Text>
          </Box>
        ))}
      </Stack>
    </Section>
  )
}

/** Reads the phases of a rulebook: their names, lengths, and where they say that they lead. */
function phasesOf(text: string): Phase[] {
  const lines = text.split('\n')
  const start = lines.findIndex((l) => /^phases:/.test(l))
  if (start < 0) return []
  const out: Phase[] = []
  const inline = /^phases:\s*\{(.*)\}\s*$/.exec(lines[start] ?? '')?.[1]
  if (inline !== undefined) {
    for (const m of inline.matchAll(/([\w-]+):\s*\{([^}]*)\}/g)) out.push(phase(m[1] ?? '', m[2] ?? ''))
    return out
  }
  let indent = 0
  for (let i = start + 1; i < lines.length; i++) {
    const m = /^(\s+)([\w-]+):(.*)$/.exec(lines[i] ?? '')
    if (/^\S/.test(lines[i] ?? '') && !/^\s*#/.test(lines[i] ?? '')) break
    if (!m) continue
    indent ||= (m[1] ?? '').length
    if ((m[1] ?? '').length === indent) out.push(phase(m[2] ?? '', m[3] ?? ''))
    else if (out.length) add(out[out.length - 1] as Phase, `${m[2]}: ${m[3]}`)
  }
  return out
}

function phase(name: string, rest: string): Phase {
  const p: Phase = { name, leads: [] }
  add(p, rest)
  return p
}

function add(p: Phase, rest: string) {
  p.length ??= /length:\s*([^,}]+)/.exec(rest)?.[1]
  for (const m of rest.matchAll(/(?:then|go|next|to):\s*([\w-]+)/g))
    if (m[1] && !p.leads.includes(m[1])) p.leads.push(m[1])
}
