import { Badge, Button, Grid, HStack, Link, NativeSelect, SimpleGrid, Stack, Text } from '@chakra-ui/react'
import { useEffect, useRef, useState } from 'react'
import { NavLink, useNavigate, useParams, useSearchParams } from 'react-router'
import { Http, Tokens, type Answer } from 'turnvex-client'
import { useCall } from '../app/calls.ts'
import { Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { device } from '../app/session.ts'
import { many } from '../app/words.ts'
import { playBy } from '../match/bots.ts'
import { useLive } from '../match/connections.ts'
import { keysOf } from '../match/keys.ts'
import { Panel } from '../match/Panel.tsx'
import { useSomebody } from './Lobbies.tsx'

type Book = NonNullable<Answer<'GET /v1/rulebooks'>['rulebooks']>[number]

const open = new Http({ address: '' })
const seats = new Map<string, Tokens>()

/** The tokens of one of this browser's own players: people in panels, or demo players. */
function tokensOf(name: string): Tokens {
  const held = seats.get(name)
  if (held) return held
  const fresh = new Tokens(() => open.call('POST /v1/sign-in/device', { body: { device: device(name), name } }))
  seats.set(name, fresh)
  return fresh
}

const panelName = (i: number) => `Player ${i + 1}`
const demoNames = [
  'Wren Aldous',
  'Tobin Reef',
  'Isla Marsh',
  'Corin Vale',
  'Hedda Storm',
  'Bram Tully',
  'Nell Sandor',
  'Otis Fern',
]

/** Opens a practice lobby and takes seats in it, in this page. */
export default function Play() {
  const { code } = useParams()
  return code ? <Table key={code} code={code} /> : <Choose />
}

function Choose() {
  useSomebody()
  const { data, error, refetch } = useCall('GET /v1/rulebooks', {})
  const navigate = useNavigate()
  const [params] = useSearchParams()
  const [busy, setBusy] = useState('')
  const [problem, setProblem] = useState<Error>()
  const start = (b: Book) => {
    setBusy(b.name)
    const http = new Http({ address: '', tokens: tokensOf(panelName(0)) })
    http
      .call('POST /v1/lobbies', {
        body: { rulebook: b.name, practice: true, hidden: true, title: `Practice: ${b.title}`.slice(0, 40) },
      })
      .then(
        (l) => {
          const here = Math.min(2, b.most)
          navigate(`/play/${l.code}?seats=${here}&demo=${Math.max(Math.min(b.least, 8) - here, 0)}`, {
            replace: params.has('rulebook'),
          })
        },
        (e: Error) => setProblem(e),
      )
      .finally(() => setBusy(''))
  }
  const books = data?.rulebooks ?? []
  const asked = books.find((b) => b.name === params.get('rulebook'))
  const begun = useRef(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is opened once
  useEffect(() => {
    if (!asked || begun.current) return
    begun.current = true
    start(asked)
  }, [asked])
  return (
    <Page title="Play here" beside={<Text color="fg.muted">Opens a practice lobby. Nothing is saved.</Text>}>
      {(error ?? problem) && <Failed error={(error ?? problem) as Error} again={() => void refetch()} />}
      {!data && !error && <Loading />}
      {data && books.length === 0 && (
        <Empty title="There is no rulebook to play">
          <Link asChild colorPalette="teal">
            <NavLink to="/docs/README">Write one in five minutes</NavLink>
          </Link>
        </Empty>
      )}
      <SimpleGrid columns={{ base: 1, md: 2, xl: 3 }} gap="4">
        {books.map((b) => (
          <Section
            key={b.name}
            title={b.title}
            beside={
              <Button size="xs" onClick={() => start(b)} loading={busy === b.name} data-play={b.name}>
                Play
              </Button>
            }
          >
            <Text color="fg.muted" minH="10">
              {b.about || 'No description.'}
            </Text>
            <Text fontSize="xs" color="fg.muted">
              {b.least === b.most ? many(b.most, 'player') : `${b.least} to ${b.most} players`}
            </Text>
          </Section>
        ))}
      </SimpleGrid>
    </Page>
  )
}

function Table({ code }: { code: string }) {
  const [params, setParams] = useSearchParams()
  const here = Math.min(Math.max(Number(params.get('seats')) || 1, 1), 4)
  const demo = Math.min(Math.max(Number(params.get('demo')) || 0, 0), 8)
  const set = (name: string, value: number) => {
    params.set(name, String(value))
    setParams(params, { replace: true })
  }
  return (
    <Page
      title="Play here"
      beside={
        <HStack gap="3" wrap="wrap">
          <Badge fontFamily="mono">{code}</Badge>
          <Choice name="Seats here" value={here} most={4} least={1} set={(n) => set('seats', n)} />
          <Choice name="Demo players" value={demo} most={8} least={0} set={(n) => set('demo', n)} />
          <Button asChild size="xs" variant="outline">
            <NavLink to={`/lobby/${code}`}>Watch the lobby</NavLink>
          </Button>
        </HStack>
      }
    >
      <Grid
        templateColumns={{ base: 'minmax(0, 1fr)', xl: here > 1 ? 'repeat(2, minmax(0, 1fr))' : 'minmax(0, 1fr)' }}
        gap="4"
        alignItems="start"
      >
        {Array.from({ length: here }, (_, i) => (
          <Seat key={panelName(i)} code={code} i={i} narrow={here > 1} />
        ))}
      </Grid>
      {Array.from({ length: demo }, (_, i) => (
        <Demo key={demoNames[i]} code={code} name={demoNames[i] ?? ''} />
      ))}
    </Page>
  )
}

function Choice({
  name,
  value,
  least,
  most,
  set,
}: {
  name: string
  value: number
  least: number
  most: number
  set: (n: number) => void
}) {
  return (
    <HStack gap="1">
      <Text fontSize="xs" color="fg.muted">
        {name}
      </Text>
      <NativeSelect.Root size="xs" w="14">
        <NativeSelect.Field aria-label={name} value={value} onChange={(e) => set(Number(e.currentTarget.value))}>
          {Array.from({ length: most - least + 1 }, (_, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: it is a number
            <option key={i + least} value={i + least}>
              {i + least}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </HStack>
  )
}

const optionsOf = (code: string, name: string) => () => ({
  address: location.origin,
  tokens: tokensOf(name).token,
  lobby: code,
})

function Seat({ code, i, narrow }: { code: string; i: number; narrow: boolean }) {
  const source = useLive(`${code} seat ${i}`, optionsOf(code, panelName(i)))
  const [ready, setReady] = useState(false)
  useEffect(() => {
    if (!source || ready) return
    return source.watch(['state', 'player+'], () => {
      if (source.state !== 'open' || !source.connection.me) return
      setReady(true)
      source.connection.send({ do: 'ready' }).catch(() => undefined)
    })
  }, [source, ready])
  const keys = keysOf[i]
  if (!source || !keys) return null
  return (
    <Stack as="section" aria-label={panelName(i)} gap="0" minW="0">
      <Panel source={source} keys={keys} name={panelName(i)} narrow={narrow} />
    </Stack>
  )
}

/** A demo player: a connection of this page that plays by itself. */
function Demo({ code, name }: { code: string; name: string }) {
  const source = useLive(`${code} demo ${name}`, optionsOf(code, name))
  useEffect(() => (source ? playBy(source) : undefined), [source])
  return null
}
