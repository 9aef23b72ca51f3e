import { Badge, Box, Grid, HStack, Link, SegmentGroup, Stack, Table, Text } from '@chakra-ui/react'
import { useMemo, useState } from 'react'
import { NavLink } from 'react-router'
import type { Answer } from 'turnvex-client'
import { useCall } from '../app/calls.ts'
import { Chart, type Series } from '../app/Chart.tsx'
import { useTopic } from '../app/live.ts'
import { Away, Columns, Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { http, session } from '../app/session.ts'
import { bytes, count, moment, since } from '../app/words.ts'
import { Act } from '../match/Acts.tsx'
import type { NodeRow, Point } from './Home.tsx'

type AuditLine = NonNullable<Answer<'GET /v1/audit'>['lines']>[number]

interface Connected {
  player?: string
  name: string
  address: string
  since: string
  does: string
  lobby?: string
}

const charts: { title: string; series: Series[]; write: (n: number) => string }[] = [
  {
    title: 'Turn of a lobby, 95th percentile',
    series: [
      ['tick_ms', 'took'],
      ['late_ms', 'late'],
    ],
    write: (n) => `${n} ms`,
  },
  {
    title: 'Live messages a second',
    series: [
      ['out', 'out'],
      ['in', 'in'],
    ],
    write: (n) => count(Math.round(n)),
  },
  {
    title: 'Live bytes a second',
    series: [
      ['out_bytes', 'out'],
      ['in_bytes', 'in'],
    ],
    write: bytes,
  },
  {
    title: 'Intents a second',
    series: [
      ['done', 'done'],
      ['refused', 'refused'],
    ],
    write: (n) => n.toFixed(1),
  },
  {
    title: 'Connections and seats',
    series: [
      ['connections', 'connections'],
      ['seats', 'seats'],
    ],
    write: (n) => count(Math.round(n)),
  },
  {
    title: 'Waiting for the database',
    series: [
      ['saves', 'saves'],
      ['ledger_age', 'seconds behind'],
    ],
    write: (n) => n.toFixed(1),
  },
  {
    title: 'HTTP answers a second',
    series: [
      ['answers', 'all'],
      ['errors', '5xx'],
      ['limited', 'over a limit'],
    ],
    write: (n) => n.toFixed(1),
  },
  {
    title: 'Journals and inputs that wait to be kept',
    series: [
      ['journal', 'journals'],
      ['ledger', 'inputs'],
    ],
    write: bytes,
  },
  { title: 'Processor, in cores', series: [['processor', 'used']], write: (n) => n.toFixed(2) },
  { title: 'Memory', series: [['memory', 'in use']], write: bytes },
]

const views = ['Charts', 'Nodes', 'Connections', 'Audit trail', 'Service keys']

/** How the service does: nodes, what they count, who is connected, and what operators did. */
export default function Operations() {
  const [view, setView] = useState('Charts')
  const mine = views.filter((v) => v === 'Charts' || v === 'Nodes' || session.can('operator'))
  if (!session.can('read'))
    return (
      <Page title="Operations">
        <Failed error="Sign in as an operator to see this page." />
      </Page>
    )
  return (
    <Page
      title="Operations"
      beside={
        <Box maxW="100%" overflowX="auto">
          <SegmentGroup.Root size="sm" value={view} onValueChange={(d) => setView(d.value ?? 'Charts')}>
            <SegmentGroup.Indicator />
            <SegmentGroup.Items items={mine} />
          </SegmentGroup.Root>
        </Box>
      }
    >
      {view === 'Charts' && <Charts />}
      {view === 'Nodes' && <Nodes />}
      {view === 'Connections' && <Connections />}
      {view === 'Audit trail' && <Audit />}
      {view === 'Service keys' && <Keys />}
    </Page>
  )
}

function Charts() {
  const { data, lost } = useTopic<Point>({ name: 'metrics' })
  return (
    <Stack gap="3">
      <Away lost={lost} />
      <Text color="fg.muted" fontSize="xs">
        Metrics of this node for the last hour, with a point every ten seconds, kept in memory only. For longer periods,
        collect its metrics with Prometheus: see{' '}
        <Link asChild colorPalette="teal">
          <NavLink to="/docs/operations#metrics">Metrics</NavLink>
        </Link>
        .
      </Text>
      {!data ? (
        <Loading />
      ) : data.length < 2 ? (
        <Empty title="The first points appear within twenty seconds" />
      ) : (
        <Grid
          templateColumns={{
            base: 'minmax(0, 1fr)',
            md: 'repeat(2, minmax(0, 1fr))',
            '2xl': 'repeat(3, minmax(0, 1fr))',
          }}
          gap="3"
        >
          {charts.map((c) => (
            <Section key={c.title} title={c.title} flush>
              <Chart points={data} series={c.series} write={c.write} title={c.title} />
            </Section>
          ))}
          <Kinds points={data} />
        </Grid>
      )}
    </Stack>
  )
}

/** What was refused or failed, by kind: the most frequent as lines, all of them counted. */
function Kinds({ points }: { points: readonly Point[] }) {
  const { rows, series, totals } = useMemo(() => {
    const sums = new Map<string, number>()
    for (const p of points)
      for (const [k, n] of Object.entries(kindsOf(p))) sums.set(k, (sums.get(k) ?? 0) + n * pointSeconds)
    const totals = [...sums].sort((a, b) => b[1] - a[1])
    const series = totals.slice(0, 5).map(([k]): Series => [k, k])
    const rows = points.map((p) => ({ at: p.at, ...Object.fromEntries(series.map(([k]) => [k, kindsOf(p)[k] ?? 0])) }))
    return { rows, series, totals }
  }, [points])
  return (
    <Section title="Refused or failed per second" flush data-test="kinds">
      {totals.length === 0 ? (
        <Empty title="Nothing in the last hour" />
      ) : (
        <>
          <Chart
            key={series.map(([k]) => k).join()}
            points={rows}
            series={series}
            write={(n) => n.toFixed(2)}
            title="Refused or failed"
          />
          <Text fontSize="xs" color="fg.muted" px="4" pb="2">
            Within the hour: {totals.map(([k, n]) => `${k} ${count(Math.round(n))}`).join(', ')}
          </Text>
        </>
      )}
    </Section>
  )
}

/** What a point tells by kind, beside its numbers. */
const kindsOf = (p: Point) => (p as unknown as { kinds?: Record<string, number> }).kinds ?? {}

/** How long a point stands for. */
const pointSeconds = 10

function Nodes() {
  const { data, lost } = useTopic<NodeRow>({ name: 'nodes' })
  const colours: Record<string, string> = {
    alive: 'green',
    overloaded: 'red',
    draining: 'orange',
    gone: 'gray',
  }
  return (
    <Section title="Nodes" flush>
      <Away lost={lost} />
      {!data ? (
        <Loading />
      ) : (
        <Table.ScrollArea tabIndex={0} aria-label="Nodes">
          <Table.Root size="sm">
            <Table.Header>
              <Table.Row>
                {['Name', 'State', 'Region', 'Version', 'Lobbies', 'Seats', 'Connections', 'Started', ''].map(
                  (h, i) => (
                    <Table.ColumnHeader
                      key={h || 'acts'}
                      textAlign={i > 3 && i < 7 ? 'end' : undefined}
                      ps={i === 0 ? '4' : undefined}
                    >
                      {h}
                    </Table.ColumnHeader>
                  ),
                )}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {data.map((n) => (
                <Table.Row key={n.name}>
                  <Table.Cell ps="4" fontWeight="semibold">
                    {n.name}
                    {n.here && (
                      <Text as="span" color="fg.muted" fontWeight="normal">
                        {' '}
                        (this one)
                      </Text>
                    )}
                    <Text fontSize="xs" color="fg.muted" fontWeight="normal">
                      {n.address}
                    </Text>
                  </Table.Cell>
                  <Table.Cell>
                    <Badge size="sm" colorPalette={colours[n.state] ?? 'gray'}>
                      {n.state}
                    </Badge>
                  </Table.Cell>
                  <Table.Cell>{n.region}</Table.Cell>
                  <Table.Cell>{n.version}</Table.Cell>
                  <Table.Cell textAlign="end">{count(n.lobbies)}</Table.Cell>
                  <Table.Cell textAlign="end">{count(n.seats)}</Table.Cell>
                  <Table.Cell textAlign="end">{count(n.connections)}</Table.Cell>
                  <Table.Cell>{since(n.started)} ago</Table.Cell>
                  <Table.Cell>
                    {session.can('operator') &&
                      n.state === 'alive' &&
                      data.filter((x) => x.state === 'alive').length > 1 && (
                        <Act
                          name="Drain"
                          what={`${n.name} takes no more lobbies and moves its lobbies to other nodes in its region. Players keep their seats.`}
                          does={(why) =>
                            http.call('POST /v1/nodes/{node}/drain', { path: { node: n.name }, query: { why } })
                          }
                        />
                      )}
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
    </Section>
  )
}

function Connections() {
  const { data, lost } = useTopic<Connected>({ name: 'players' })
  return (
    <Section
      title="Connected to this node"
      flush
      beside={
        data && (
          <Text fontSize="xs" color="fg.muted">
            {data.length} shown, the longest first
          </Text>
        )
      }
    >
      <Away lost={lost} />
      {!data ? (
        <Loading />
      ) : (
        <Table.ScrollArea maxH="640px" tabIndex={0} aria-label="Connections">
          <Table.Root size="sm" stickyHeader>
            <Columns names={['Who', 'Does', 'Lobby', 'From', 'For']} />
            <Table.Body>
              {data.map((c) => (
                <Table.Row key={`${c.since} ${c.name} ${c.does} ${c.lobby ?? ''}`}>
                  <Table.Cell ps="4" dir="auto">
                    {c.player ? (
                      <Link asChild>
                        <NavLink to={`/players/${c.player}`}>{c.name}</NavLink>
                      </Link>
                    ) : (
                      `${c.name} (service key)`
                    )}
                  </Table.Cell>
                  <Table.Cell>{c.does}</Table.Cell>
                  <Table.Cell fontFamily="mono">
                    {c.lobby && <NavLink to={`/lobby/${c.lobby}`}>{c.lobby}</NavLink>}
                  </Table.Cell>
                  <Table.Cell fontFamily="mono">{c.address}</Table.Cell>
                  <Table.Cell>{since(c.since)}</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
    </Section>
  )
}

function Audit() {
  const { data, lost } = useTopic<AuditLine>({ name: 'audit' })
  return (
    <Section title="Changes by operators and service keys" flush data-test="audit">
      <Away lost={lost} />
      {!data ? (
        <Loading />
      ) : data.length === 0 ? (
        <Empty title="No changes yet" />
      ) : (
        <Table.ScrollArea maxH="640px" tabIndex={0} aria-label="Audit trail">
          <Table.Root size="sm" stickyHeader>
            <Columns names={['When', 'Who', 'What', 'To', 'Why', 'Outcome']} />
            <Table.Body>
              {data.map((l) => (
                <Table.Row key={l.id}>
                  <Table.Cell ps="4" whiteSpace="nowrap" title={moment(l.at)}>
                    {since(l.at)} ago
                  </Table.Cell>
                  <Table.Cell>{l.who}</Table.Cell>
                  <Table.Cell fontFamily="mono" fontSize="xs">
                    {l.what}
                  </Table.Cell>
                  <Table.Cell maxW="180px" truncate title={l.subject}>
                    {l.subject}
                  </Table.Cell>
                  <Table.Cell maxW="260px">{l.why}</Table.Cell>
                  <Table.Cell color={l.outcome === 'ok' ? 'fg.muted' : 'fg.error'}>{l.outcome}</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
    </Section>
  )
}

function Keys() {
  const { data, error, refetch } = useCall('GET /v1/keys', {})
  return (
    <Section title="Service keys" flush>
      {error && <Failed error={error} />}
      {!data ? (
        <Loading />
      ) : (
        <Table.ScrollArea tabIndex={0} aria-label="Service keys">
          <Table.Root size="sm">
            <Columns names={['Name', 'Scopes', 'Made', 'Used', '']} />
            <Table.Body>
              {(data.keys ?? []).map((k) => (
                <Table.Row key={`${k.name} ${k.created}`}>
                  <Table.Cell ps="4" fontWeight="semibold">
                    {k.name}
                  </Table.Cell>
                  <Table.Cell>
                    <HStack gap="1">
                      {(k.scopes ?? []).map((s) => (
                        <Badge key={s} size="sm">
                          {s}
                        </Badge>
                      ))}
                    </HStack>
                  </Table.Cell>
                  <Table.Cell>{since(k.created)} ago</Table.Cell>
                  <Table.Cell>{k.used ? `${since(k.used)} ago` : 'never'}</Table.Cell>
                  <Table.Cell>
                    {k.revoked ? (
                      <Text color="fg.muted">revoked {since(k.revoked)} ago</Text>
                    ) : (
                      <Act
                        name="Revoke"
                        what={`Nothing that uses the key “${k.name}” can call the service any more. This cannot be undone.`}
                        does={(why) =>
                          http
                            .call('DELETE /v1/keys/{name}', { path: { name: k.name }, query: { why } })
                            .then(() => refetch())
                        }
                      />
                    )}
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
      <Box px="4" py="2" borderTopWidth="1px">
        <Text fontSize="xs" color="fg.muted">
          Keys are made on the command line, so that no key stands in a browser: turnvex key make NAME -scopes read
        </Text>
      </Box>
    </Section>
  )
}
