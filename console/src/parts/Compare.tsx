import { Badge, Card, Flex, Heading, HStack, NativeSelect, SegmentGroup, Table, Text } from '@chakra-ui/react'
import { useRef, useState } from 'react'
import type { Copy } from 'turnvex-client'
import { useLive } from '../useLive.ts'
import { differs, lag, lines, Patience, type Line } from './compare.ts'
import { OwnCopies } from './OwnCopies.tsx'
import { label, nameOf, shown } from './fields.ts'

const cell = { maxW: '220px', truncate: true } as const
const groups: Record<string, string[]> = {
  Players: ['player'],
  'Match and teams': ['match', 'team'],
  Lobby: ['lobby'],
  Records: ['record'],
  Pieces: ['piece'],
  Creatures: ['creature'],
  Zones: ['zone'],
}

/** The truth beside the copies that two chosen seats hold, with what differs marked. */
export function Compare({ truth, code, token }: { truth: Copy; code: string; token: string }) {
  const players = truth.of('player')
  const [chosen, setChosen] = useState<(number | undefined)[]>([undefined, undefined])
  const [group, setGroup] = useState('Players')
  const seats = chosen.map((id, i) => (id && truth.sheets.has(id) ? id : players[i]?.id))
  const options = (seat?: number) => (seat ? { address: location.origin, token, lobby: code, as: seat } : undefined)
  const first = useLive(options(seats[0]))
  const second = useLive(options(seats[1]))
  const patience = useRef(new Patience(400)).current
  const all = lines(truth, [first.state.copy, second.state.copy], groups[group] ?? [])
  const now = performance.now()
  const marks = all.map((l) => [0, 1].map((i) => patience.lasting(`${i}/${l.key}`, differs(l, i), now, lag(truth, l))))
  const count = marks.flat().filter(Boolean).length
  return (
    <Card.Root data-test="compare">
      <Card.Body>
        <Flex justify="space-between" align="center" mb="3" gap="3" wrap="wrap">
          <HStack>
            <Heading size="md">The truth and two copies</Heading>
            <Badge colorPalette={count ? 'red' : 'green'} data-test="differences">
              {count ? `${count} differ` : 'no difference'}
            </Badge>
            <OwnCopies code={code} truth={truth} />
          </HStack>
          <SegmentGroup.Root size="sm" value={group} onValueChange={(d) => setGroup(d.value ?? 'Players')}>
            <SegmentGroup.Indicator />
            <SegmentGroup.Items items={Object.keys(groups)} />
          </SegmentGroup.Root>
        </Flex>
        <Table.ScrollArea maxH="420px" borderWidth="1px" rounded="md">
          <Table.Root size="sm" stickyHeader>
            <Table.Header>
              <Table.Row bg="bg.muted">
                <Table.ColumnHeader>Sheet</Table.ColumnHeader>
                <Table.ColumnHeader>Field</Table.ColumnHeader>
                <Table.ColumnHeader>Seen by</Table.ColumnHeader>
                <Table.ColumnHeader>Truth</Table.ColumnHeader>
                {[0, 1].map((i) => (
                  <Table.ColumnHeader key={i}>
                    <SeatChoice
                      truth={truth}
                      seat={seats[i]}
                      onChoose={(id) => setChosen(chosen.map((c, j) => (j === i ? id : c)))}
                    />
                  </Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {all.map((l, row) => (
                <Table.Row key={l.key}>
                  <Table.Cell color="fg.muted">
                    {l === all.find((x) => x.sheet === l.sheet) ? sheetName(l) : ''}
                  </Table.Cell>
                  <Table.Cell>{label(l.field)}</Table.Cell>
                  <Table.Cell color="fg.muted">{l.field.see ?? 'everyone'}</Table.Cell>
                  <Table.Cell {...cell}>{shown(truth, l.field, l.truth)}</Table.Cell>
                  {l.held.map((v, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: the place is the seat that it is compared with
                    <Held key={i} line={l} value={v} truth={truth} wrong={marks[row]?.[i] ?? false} />
                  ))}
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      </Card.Body>
    </Card.Root>
  )

  function sheetName(l: Line) {
    if (l.sheet.kind === 'record') return `record of ${nameOf(truth, l.sheet.owner)}`
    return l.sheet.kind === 'piece'
      ? `${l.sheet.text('kind')} #${l.sheet.id}`
      : nameOf(truth, l.sheet.id).replace('#', `${l.sheet.kind} #`)
  }
}

function Held({ line, value, truth, wrong }: { line: Line; value: Line['truth']; truth: Copy; wrong: boolean }) {
  if (value === undefined) return <Table.Cell color="fg.subtle">not seen</Table.Cell>
  return (
    <Table.Cell {...cell} bg={wrong ? 'red.subtle' : undefined} fontWeight={wrong ? 'bold' : undefined}>
      {shown(truth, line.field, value)}
    </Table.Cell>
  )
}

function SeatChoice({ truth, seat, onChoose }: { truth: Copy; seat?: number; onChoose: (id: number) => void }) {
  const players = truth.of('player')
  if (players.length === 0) return <Text as="span">no seat</Text>
  return (
    <NativeSelect.Root size="xs" w="180px">
      <NativeSelect.Field
        aria-label="Seat whose copy is shown"
        value={seat}
        onChange={(e) => onChoose(Number(e.target.value))}
      >
        {players.map((p) => (
          <option key={p.id} value={p.id}>
            {p.text('name')}'s copy
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
