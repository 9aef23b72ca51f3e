import { Badge, Box, HStack, Stack, Table, Text } from '@chakra-ui/react'
import { Section } from '../app/Page.tsx'
import { Clock } from './Clock.tsx'
import { useKeys } from './connections.ts'
import { isBar, label, shown, standing, teamNo } from './fields.ts'
import { Glyph } from './Glyph.tsx'
import type { Source } from './source.ts'
import { Outcome } from './State.tsx'

const then: Record<string, string> = {
  lobby: 'The lobby gathers again in',
  again: 'The next match begins in',
  close: 'The lobby closes in',
  vote: 'What most want follows in',
}

/** The end of a match: the outcome, the numbers, and what comes next with its time. */
export function Ending({ source }: { source: Source }) {
  useKeys(source, 'match+', 'match', 'player.outcome', 'team.outcome')
  const copy = source.copy
  const match = copy?.match
  if (!copy || !match?.flag('over')) return null
  const numbers = copy.schema
    .fields('player')
    .filter((f) => f.own && f.show !== 'aside' && !f.see && (f.type === 'integer' || f.type === 'number') && !isBar(f))
    .slice(0, 6)
  const winners = copy
    .of('team')
    .filter((t) => t.text('outcome') === 'won')
    .map((t) => t.text('title'))
  const won = winners.length
    ? winners
    : copy
        .of('player')
        .filter((p) => p.text('outcome') === 'won')
        .map((p) => p.text('name'))
  return (
    <Section
      title="Result"
      flush
      data-test="ending"
      beside={
        <HStack gap="2">
          <Badge size="sm" colorPalette={match.flag('saved') ? 'green' : 'gray'}>
            {copy.lobby?.flag('practice') ? 'practice: not kept' : match.flag('saved') ? 'saved' : 'being saved'}
          </Badge>
          {match.text('after') in then && (
            <Text fontSize="xs" color="fg.muted">
              {then[match.text('after')]} <Clock source={source} sheet={match} field="until" fontSize="inherit" />
            </Text>
          )}
        </HStack>
      }
    >
      <Stack gap="0" px="4" py="3">
        <Text fontSize="lg" fontWeight="semibold">
          {won.length === 0 ? 'Nobody won' : won.length === 1 ? `${won[0]} won` : `${won.join(' and ')} won`}
        </Text>
        <Text color="fg.muted">{match.text('because')}</Text>
      </Stack>
      <Table.ScrollArea>
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader ps="4">Place</Table.ColumnHeader>
              <Table.ColumnHeader>Player</Table.ColumnHeader>
              <Table.ColumnHeader>Outcome</Table.ColumnHeader>
              {numbers.map((f) => (
                <Table.ColumnHeader key={f.no} textAlign="end">
                  {label(f)}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {standing(copy)
              .filter((p) => p.text('outcome') !== 'none')
              .slice(0, 20)
              .map((p) => (
                <Table.Row key={p.id}>
                  <Table.Cell ps="4">{p.num('place') || '–'}</Table.Cell>
                  <Table.Cell>
                    <HStack gap="1">
                      {copy.of('team').length > 0 && <Glyph team={teamNo(copy, p.num('team'))} />}
                      <Box dir="auto">{p.text('name')}</Box>
                    </HStack>
                  </Table.Cell>
                  <Table.Cell>
                    <Outcome outcome={p.text('outcome')} />
                  </Table.Cell>
                  {numbers.map((f) => (
                    <Table.Cell key={f.no} textAlign="end">
                      {shown(copy, f, p.raw(f.name))}
                    </Table.Cell>
                  ))}
                </Table.Row>
              ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
    </Section>
  )
}
