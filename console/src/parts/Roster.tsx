import { Badge, Box, Card, HStack, Progress, Stack, Table, Text } from '@chakra-ui/react'
import type { Connection, Copy, FieldInfo, Sheet } from 'turnvex-client'
import { formatClock } from 'turnvex-client'
import { teamColours } from '../theme.tsx'
import { label, share, shown, teamNo } from './fields.ts'
import { Outcome } from './State.tsx'

/** Every seat with its state, its bars and its numbers. */
export function Roster({ copy, live }: { copy: Copy; live: Connection }) {
  const players = copy.of('player')
  const fields = copy.schema.fields('player').filter((f) => f.own && f.type !== 'text')
  const bars = fields.filter((f) => share(f, f.min ?? 0, players[0]) !== undefined)
  const numbers = fields.filter((f) => !bars.includes(f))
  return (
    <Card.Root overflow="auto">
      <Table.Root size="sm">
        <Table.Header>
          <Table.Row bg="bg.muted">
            <Table.ColumnHeader>Player</Table.ColumnHeader>
            {bars.length > 0 && <Table.ColumnHeader>Bars</Table.ColumnHeader>}
            {numbers.map((f) => (
              <Table.ColumnHeader key={f.no} textAlign="end">
                {label(f)}
              </Table.ColumnHeader>
            ))}
            <Table.ColumnHeader textAlign="end">Ping</Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {players.map((p) => (
            <Row key={p.id} p={p} copy={copy} live={live} bars={bars} numbers={numbers} />
          ))}
        </Table.Body>
      </Table.Root>
      {players.length === 0 && (
        <Text p="4" color="fg.muted">
          Nobody has a seat yet.
        </Text>
      )}
    </Card.Root>
  )
}

function Row({
  p,
  copy,
  live,
  bars,
  numbers,
}: {
  p: Sheet
  copy: Copy
  live: Connection
  bars: FieldInfo[]
  numbers: FieldInfo[]
}) {
  const colour = teamColours[teamNo(copy, p.num('team'))]
  return (
    <Table.Row data-seat={p.id}>
      <Table.Cell>
        <HStack gap="2">
          <Box w="1" h="8" rounded="full" bg={`${colour}.solid`} />
          <Box>
            <Text fontWeight="semibold" whiteSpace="nowrap">
              {p.text('name')}
            </Text>
            <Condition p={p} copy={copy} live={live} />
          </Box>
        </HStack>
      </Table.Cell>
      {bars.length > 0 && (
        <Table.Cell minW="150px">
          <Stack gap="1">
            {bars.map((f) => (
              <Bar key={f.no} p={p} f={f} copy={copy} />
            ))}
          </Stack>
        </Table.Cell>
      )}
      {numbers.map((f) => (
        <Table.Cell key={f.no} textAlign="end" fontFamily={f.type === 'clock' ? 'mono' : undefined}>
          {f.type === 'clock' ? formatClock(live.clock(p, f.name)) : shown(copy, f, p.raw(f.name))}
        </Table.Cell>
      ))}
      <Table.Cell textAlign="end" color="fg.muted" whiteSpace="nowrap">
        {p.num('ping')} ms
      </Table.Cell>
    </Table.Row>
  )
}

function Bar({ p, f, copy }: { p: Sheet; f: FieldInfo; copy: Copy }) {
  const part = share(f, p.raw(f.name), p)
  if (part === undefined) return null
  return (
    <Progress.Root value={part} size="sm" colorPalette={part < 25 ? 'red' : 'green'} data-field={f.name}>
      <HStack gap="2">
        <Progress.Label fontSize="xs" w="12" color="fg.muted" mb="0" flex="none" truncate>
          {label(f)}
        </Progress.Label>
        <Progress.Track flex="1">
          <Progress.Range transition="width 0.1s" />
        </Progress.Track>
        <Progress.ValueText fontSize="xs" w="9" textAlign="end" flex="none">
          {shown(copy, f, p.raw(f.name))}
        </Progress.ValueText>
      </HStack>
    </Progress.Root>
  )
}

/** The short words under a name: host, away, ready, out. */
function Condition({ p, copy, live }: { p: Sheet; copy: Copy; live: Connection }) {
  const match = copy.match
  const out = match && !match.flag('over') && p.flag('playing') && !p.flag('alive')
  return (
    <HStack gap="1" minH="5">
      {copy.lobby?.num('host') === p.id && <Badge size="xs">host</Badge>}
      {p.flag('stand_in') && <Badge size="xs">stand-in</Badge>}
      {p.flag('away') && (
        <Badge size="xs" colorPalette="red">
          away
        </Badge>
      )}
      {!match && p.flag('ready') && (
        <Badge size="xs" colorPalette="green">
          ready
        </Badge>
      )}
      {out && (
        <Badge size="xs" colorPalette="orange">
          out {formatClock(live.clock(p, 'respawn')).slice(4, 7)}
        </Badge>
      )}
      {match?.flag('over') && <Outcome outcome={p.text('outcome')} />}
      {match && !p.flag('playing') && <Badge size="xs">next match</Badge>}
    </HStack>
  )
}
