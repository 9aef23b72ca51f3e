import { Badge, Box, HStack, Link, Table, Text } from '@chakra-ui/react'
import { useWindowVirtualizer } from '@tanstack/react-virtual'
import { memo, useEffect, useLayoutEffect, useMemo, useReducer, useRef, useState, type Ref } from 'react'
import { NavLink } from 'react-router'
import type { LobbyInfo } from 'turnvex-client'
import { useCall, useSession } from '../app/calls.ts'
import { useEvery, useListing } from '../app/live.ts'
import { Away, Command, Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { signInGuest } from '../app/session.ts'
import { many, since } from '../app/words.ts'
import { State } from '../match/State.tsx'

/** Signs a guest in where nobody is: a listing needs a token. */
export function useSomebody() {
  const { state } = useSession()
  useEffect(() => {
    if (state === 'out') void signInGuest().catch(() => undefined)
  }, [state])
}

/** The lobbies that are open. */
export default function Lobbies() {
  useSomebody()
  const { data, lost } = useListing()
  const lobbies = useMemo(() => newestFirst(data), [data])
  const rest = useCall('GET /v1/lobbies', { query: { limit: 1 } }, false, 10_000)
  const listed = lobbies.length
  const { refetch } = rest
  const playing = lobbies.filter((l) => l.state === 'playing').length
  const leftOut = rest.data?.left_out ?? []
  return (
    <Page
      title="Lobbies"
      beside={
        data && (
          <Text color="fg.muted">
            {listed} open, {playing} with a match running
          </Text>
        )
      }
    >
      <Away lost={lost} />
      {rest.error && !data && <Failed error={rest.error} again={() => void refetch()} />}
      <Section title="Open lobbies" flush>
        {!data ? (
          <Loading />
        ) : listed === 0 ? (
          <Empty title="No lobby is open">
            <Command>turnvex open RULEBOOK</Command>
          </Empty>
        ) : (
          <LobbyTable lobbies={lobbies} />
        )}
      </Section>
      {leftOut.length > 0 && (
        <Text color="fg.muted" fontSize="sm" data-test="left-out">
          Not in this list: {leftOut.map((l) => many(l.count, l.why, l.why)).join(', ')}.
        </Text>
      )}
    </Page>
  )
}

/** The lobbies of a listing, the newest first. */
export function newestFirst(data?: ReadonlyMap<string, LobbyInfo>): LobbyInfo[] {
  return [...(data?.values() ?? [])].sort((a, b) => (a.opened < b.opened ? 1 : a.opened > b.opened ? -1 : 0))
}

/** A table of any length: only the rows in sight are drawn. */
export function LobbyTable({ lobbies }: { lobbies: readonly LobbyInfo[] }) {
  const [turned, turn] = useReducer((n: number) => n + 1, 0)
  useEvery(10000, turn)
  const place = useRef<HTMLDivElement>(null)
  const [top, setTop] = useState(0)
  useLayoutEffect(() => setTop(place.current?.offsetTop ?? 0), [])
  const rows = useWindowVirtualizer({
    count: lobbies.length,
    estimateSize: () => 37,
    overscan: 8,
    scrollMargin: top,
    getItemKey: (i) => lobbies[i]?.code ?? i,
  })
  const shown = rows.getVirtualItems()
  const above = (shown[0]?.start ?? top) - top
  const below = rows.getTotalSize() + top - (shown.at(-1)?.end ?? top)
  return (
    <Table.ScrollArea tabIndex={0} aria-label="Open lobbies" ref={place}>
      <Table.Root size="sm" interactive aria-rowcount={lobbies.length}>
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader ps="4">Code</Table.ColumnHeader>
            <Table.ColumnHeader>Title</Table.ColumnHeader>
            <Table.ColumnHeader>State</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">Seats</Table.ColumnHeader>
            <Table.ColumnHeader display={{ base: 'none', md: 'table-cell' }}>Rulebook</Table.ColumnHeader>
            <Table.ColumnHeader display={{ base: 'none', md: 'table-cell' }}>Region</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end" pe="4" display={{ base: 'none', md: 'table-cell' }}>
              Open for
            </Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {above > 0 && <Gap height={above} />}
          {shown.map((v) => {
            const l = lobbies[v.index]
            return l && <Row key={l.code} l={l} i={v.index} turned={turned} measure={rows.measureElement} />
          })}
          {below > 0 && <Gap height={below} />}
        </Table.Body>
      </Table.Root>
    </Table.ScrollArea>
  )
}

const Gap = ({ height }: { height: number }) => (
  <tr aria-hidden>
    <td style={{ height }} colSpan={7} />
  </tr>
)

const Row = memo(function Row({
  l,
  i,
  measure,
}: {
  l: LobbyInfo
  i: number
  /** Changes when how long it has been open is to be written again. */
  turned: number
  measure: Ref<HTMLTableRowElement>
}) {
  return (
    <Table.Row data-index={i} aria-rowindex={i + 1} ref={measure}>
      <Table.Cell ps="4" fontFamily="mono" fontWeight="semibold">
        <Link asChild colorPalette="teal">
          <NavLink to={`/lobby/${l.code}`}>{l.code}</NavLink>
        </Link>
      </Table.Cell>
      <Table.Cell>
        <HStack gap="2" wrap="wrap">
          <Box dir="auto">{l.title}</Box>
          {l.practice && <Badge size="xs">practice</Badge>}
          {!l.open && (
            <Badge size="xs" colorPalette="red">
              closed
            </Badge>
          )}
          {l.password && (
            <Badge size="xs" colorPalette="orange">
              password
            </Badge>
          )}
          {l.arena && (
            <Text fontSize="xs" color="fg.muted" title="The arena of this match, or of the next one">
              at {l.arena}
            </Text>
          )}
          {l.name && (
            <Text fontSize="xs" color="fg.muted" title="Open-or-join finds it by this name">
              {l.name}
            </Text>
          )}
        </HStack>
      </Table.Cell>
      <Table.Cell>
        <State state={l.state} />
      </Table.Cell>
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {l.seats} of {l.capacity}
        {!!l.waiting && `, ${l.waiting} in line`}
      </Table.Cell>
      <Table.Cell display={{ base: 'none', md: 'table-cell' }}>{l.rulebook}</Table.Cell>
      <Table.Cell display={{ base: 'none', md: 'table-cell' }}>{l.region}</Table.Cell>
      <Table.Cell textAlign="end" pe="4" whiteSpace="nowrap" display={{ base: 'none', md: 'table-cell' }}>
        {since(l.opened)}
      </Table.Cell>
    </Table.Row>
  )
})
