import { Badge, Box, Button, Grid, HStack, Input, NativeSelect, Stack, Text } from '@chakra-ui/react'
import { useCallback, useEffect, useRef, useState } from 'react'
import type { ActionInfo, Copy, Intent, Verdict } from 'turnvex-client'
import { Failed } from '../app/Page.tsx'
import { plainName } from '../app/words.ts'
import { Bar } from './Bar.tsx'
import { ByHand } from './ByHand.tsx'
import { useFrames, useKeys } from './connections.ts'
import { Ending } from './Ending.tsx'
import { declared, isBar, label, nameOf, shortClock, shown } from './fields.ts'
import { Ground } from './Ground.tsx'
import { Header } from './Header.tsx'
import { targetsOf, itemsOf, usable, actIntent } from './intents.ts'
import type { Keys } from './keys.ts'
import { clockOf, type LiveSource } from './source.ts'
import { Votes } from './Votes.tsx'

/** One seat: exactly what its client sees, with keys and buttons of its own. */
export function Panel({
  source,
  keys,
  name,
  narrow,
}: {
  source: LiveSource
  keys: Keys
  name: string
  narrow: boolean
}) {
  useKeys(source, 'state', 'match+', 'match.over', 'match.paused', 'lobby+', 'lobby.state', 'player+', ...own(source))
  const [target, setTarget] = useState<number>()
  const [said, setSaid] = useState<{ text: string; bad: boolean }>()
  const point = useRef<{ at: number[]; when: number }>(undefined)
  const { connection: c } = source
  const copy = source.copy
  const me = c.me
  const send = useCallback(
    (intent: Intent | undefined, what: string) => {
      if (!intent) return
      c.send(intent).then(
        (v: Verdict) =>
          setSaid({
            text: v.ok ? (v.waits ? `${what}: a referee decides` : what) : `${what}: ${v.reason ?? v.code}`,
            bad: !v.ok,
          }),
        (e: Error) => setSaid({ text: e.message, bad: true }),
      )
    },
    [c],
  )
  const act = useCallback(
    (a: ActionInfo, args?: Record<string, unknown>) => {
      const pointed = point.current && performance.now() - point.current.when < 4000 ? point.current.at : undefined
      send(actIntent(source, c.seats[0] ?? 0, a, target, pointed, args), a.title)
    },
    [source, c, send, target],
  )
  useSteering(source, keys, act, () => {
    const first =
      copy?.book.actions?.find((a) => a.aim === 'target') ?? copy?.book.actions?.find((a) => a.aim !== 'self')
    const all = me && first ? targetsOf(source, me, first) : []
    if (all.length === 0) return
    setTarget(all[(all.findIndex((s) => s.id === target) + 1) % all.length]?.id)
  })
  if (source.state === 'ended')
    return (
      <Failed
        error={`${name} has no seat: ${source.why?.reason ?? 'the connection has ended'}.`}
        again={() => location.reload()}
      />
    )
  if (!copy?.lobby || !me)
    return (
      <Box p="4" borderWidth="1px" rounded="md" bg="bg" aria-busy="true">
        {source.state === 'away' ? 'Connection lost. Trying again…' : `${name} takes a seat…`}
      </Box>
    )
  const match = copy.match
  const over = match?.flag('over')
  const waiting = !match || over
  return (
    <Stack gap="2" data-panel={me.id} minW="0">
      <Header source={source} small />
      <Box bg="bg" borderWidth="1px" rounded="md" overflow="hidden">
        <HStack px="3" py="2" gap="3" wrap="wrap" borderBottomWidth="1px">
          <Text fontWeight="semibold" dir="auto" truncate maxW="180px">
            {me.text('name')}
          </Text>
          {waiting && (
            <Button
              size="xs"
              variant={me.flag('ready') ? 'outline' : 'solid'}
              onClick={() =>
                send({ do: me.flag('ready') ? 'unready' : 'ready' }, me.flag('ready') ? 'Not ready' : 'Ready')
              }
            >
              {me.flag('ready') ? 'Not ready' : 'Ready'}
            </Button>
          )}
          {match && !over && mayPause(copy, me.id) && (
            <PauseButton paused={match.text('paused') !== 'no'} send={send} />
          )}
          {match && !over && !me.flag('alive') && me.flag('playing') && <Badge colorPalette="orange">out</Badge>}
          <Own source={source} />
        </HStack>
        <Ground
          source={source}
          me={me.id}
          target={target}
          bare
          height={narrow ? 250 : 330}
          onPick={setTarget}
          onPoint={(at) => {
            point.current = { at, when: performance.now() }
          }}
        />
        <Stack gap="2" p="3">
          <Actions source={source} keys={keys} act={act} />
          <Text fontSize="xs" minH="4" color={said?.bad ? 'fg.error' : 'fg.muted'} role="status">
            {said?.text ??
              (copy.book.moves
                ? `Move with ${keys.moves}${copy.ground?.tall ? `, rise or jump with ${keys.riseName}` : ''}; click a body to aim at it, or ${keys.nextName} for the next.`
                : '')}
            {target !== undefined && copy.sheet(target) && ` Target: ${nameOf(copy, target)}.`}
          </Text>
          <ByHand source={source} />
          <Pad source={source} shown={!!copy.book.moves} send={send} />
        </Stack>
      </Box>
      <Votes source={source} />
      <VoteButtons source={source} send={send} />
      <Ending source={source} />
    </Stack>
  )
}

/** What an action costs, in words. */
function price(copy: Copy | undefined, a: ActionInfo): string {
  return (a.cost ?? [])
    .map((x) => {
      const f = copy?.schema.named(x.record ? 'record' : 'player', x.field)
      const by = x.by ? (f?.type === 'number' ? x.by / 1000 : x.by) : (x.says ?? '')
      return `${by} ${(f ? label(f) : x.field).toLowerCase()}`
    })
    .join(', ')
}

/** Whether a seat may ask for a pause at all. */
function mayPause(copy: Copy, seat: number): boolean {
  if (copy.book.pause.who !== 'nobody') return true
  const { lobby } = copy
  const where = copy.book.host.pause ?? []
  const here = lobby?.flag('practice') ? where.length > 0 : where.includes(lobby?.flag('public') ? 'public' : 'private')
  return here && lobby?.num('host') === seat
}

/** Asks for a pause, with a reason if wanted, or for play to go on. */
function PauseButton({ paused, send }: { paused: boolean; send: (i: Intent, what: string) => void }) {
  const [why, setWhy] = useState('')
  if (paused)
    return (
      <Button size="xs" variant="outline" onClick={() => send({ do: 'resume' }, 'Go on')}>
        Go on
      </Button>
    )
  return (
    <HStack
      as="form"
      gap="1"
      onSubmit={(e) => {
        e.preventDefault()
        send({ do: 'pause', ...(why.trim() && { text: why }) }, 'Pause')
        setWhy('')
      }}
    >
      <Button size="xs" variant="outline" type="submit">
        Pause
      </Button>
      <Input
        size="xs"
        w="28"
        maxLength={80}
        placeholder="Reason"
        aria-label="Reason for the pause (optional)"
        value={why}
        onChange={(e) => setWhy(e.target.value)}
      />
    </HStack>
  )
}

const own = (source: LiveSource) => {
  const id = source.connection.seats[0]
  return id ? ['ready', 'alive', 'playing', 'name'].map((f) => `#${id}.${f}`) : ['player']
}

/** The own numbers and bars, with those that only this player sees. */
function Own({ source }: { source: LiveSource }) {
  const id = source.connection.seats[0] ?? 0
  useKeys(source, `#${id}`)
  const copy = source.copy
  const me = copy?.sheet(id)
  if (!copy || !me) return null
  const fields = declared(me).filter((f) => !f.name.startsWith('cool_'))
  const bars = fields.filter(isBar)
  const rest = fields.filter((f) => !isBar(f) && f.type !== 'clock' && !f.type.startsWith('position')).slice(0, 6)
  return (
    <>
      {bars.slice(0, 3).map((f) => (
        <Box key={f.no} w="190px">
          <Bar source={source} id={id} field={f} />
        </Box>
      ))}
      {rest.map((f) => (
        <Text key={f.no} fontSize="xs" color="fg.muted" truncate maxW="200px">
          {label(f)}{' '}
          <Text as="span" color="fg" fontWeight="semibold">
            {shown(copy, f, me.raw(f.name)) || '–'}
          </Text>
        </Text>
      ))}
    </>
  )
}

/** The actions, each with its key and its cooldown. */
function Actions({
  source,
  keys,
  act,
}: {
  source: LiveSource
  keys: Keys
  act: (a: ActionInfo, args?: Record<string, unknown>) => void
}) {
  const id = source.connection.seats[0] ?? 0
  useKeys(source, 'match', `#${id}.alive`, `#${id}.kits`, `#${id}.playing`)
  const copy = source.copy
  const me = copy?.sheet(id)
  const actions = copy?.book.actions ?? []
  if (!copy || !me || actions.length === 0) return null
  return (
    <Grid templateColumns="repeat(auto-fill, minmax(132px, 1fr))" gap="1.5">
      {actions.map((a, i) => (
        <Action key={a.name} source={source} a={a} keyName={keys.actNames[i]} act={act} why={usable(copy, me, a, 0)} />
      ))}
    </Grid>
  )
}

function Action({
  source,
  a,
  keyName,
  act,
  why,
}: {
  source: LiveSource
  a: ActionInfo
  keyName?: string
  act: (a: ActionInfo, args?: Record<string, unknown>) => void
  why: string
}) {
  const cool = useRef<HTMLParagraphElement>(null)
  const id = source.connection.seats[0] ?? 0
  const [args, setArgs] = useState<Record<string, string>>({})
  useFrames(
    useCallback(() => {
      if (!cool.current || !a.cools) return
      const left = clockOf(source, source.copy?.sheet(id), `cool_${a.name}`)
      const text = left > 0 ? shortClock(left) : ''
      if (cool.current.textContent !== text) cool.current.textContent = text
    }, [source, a, id]),
  )
  const takes = a.takes ?? []
  const read = () =>
    takes.length
      ? Object.fromEntries(
          takes.map((f) => {
            if (f.type === 'list') return [f.name, itemsOf(f, args[f.name] ?? '')]
            const raw = args[f.name] ?? f.choices?.[0] ?? ''
            if (f.type === 'integer' || f.type === 'number' || f.type === 'ref') return [f.name, Number(raw)]
            if (f.type === 'flag') return [f.name, raw === 'yes']
            if (f.type.startsWith('position')) return [f.name, raw.split(',').map(Number)]
            return [f.name, raw]
          }),
        )
      : undefined
  return (
    <Stack gap="1">
      <Button
        size="xs"
        variant="outline"
        justifyContent="space-between"
        disabled={why !== ''}
        title={[why || a.title, price(source.copy, a)].filter(Boolean).join('; costs ')}
        onClick={() => act(a, read())}
        data-action={a.name}
      >
        <Text as="span" truncate>
          {a.title}
          {price(source.copy, a) && (
            <Text as="span" color="fg.muted" fontWeight="normal">
              {' '}
              −{price(source.copy, a)}
            </Text>
          )}
        </Text>
        <HStack gap="1">
          <Text as="span" ref={cool} color="fg.muted" w="8" textAlign="end" />
          {keyName && takes.length === 0 && (
            <Badge size="xs" variant="surface">
              {keyName}
            </Badge>
          )}
        </HStack>
      </Button>
      {takes.map((f) =>
        f.type !== 'list' && (f.choices || f.type === 'ref' || f.type === 'flag') ? (
          <NativeSelect.Root key={f.name} size="xs">
            <NativeSelect.Field
              aria-label={`${a.title}: ${label(f)}`}
              value={args[f.name] ?? ''}
              onChange={(e) => setArgs({ ...args, [f.name]: e.currentTarget.value })}
            >
              {(
                f.choices ??
                (f.type === 'flag' ? ['yes', 'no'] : (source.copy?.of(f.of ?? 'player') ?? []).map((s) => String(s.id)))
              ).map((x) => (
                <option key={x} value={x}>
                  {f.type === 'ref' && source.copy ? nameOf(source.copy, Number(x)) : plainName(x)}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        ) : (
          <Input
            key={f.name}
            size="xs"
            aria-label={`${a.title}: ${label(f)}`}
            placeholder={f.type === 'list' ? `${label(f)}: ${f.choices?.join(', ') ?? 'with commas'}` : label(f)}
            value={args[f.name] ?? ''}
            onChange={(e) => setArgs({ ...args, [f.name]: e.target.value })}
          />
        ),
      )}
    </Stack>
  )
}

function VoteButtons({ source, send }: { source: LiveSource; send: (i: Intent, what: string) => void }) {
  useKeys(source, 'lobby.vote', 'lobby.state')
  const copy = source.copy
  const vote = copy?.lobby?.text('vote')
  const votes = copy?.book.votes ?? []
  if (!copy || votes.length === 0) return null
  const open = votes.find((v) => v.name === vote)
  if (!open)
    return (
      <HStack gap="1" wrap="wrap">
        {votes
          .filter((v) => v.during.includes(copy.match ? (copy.match.flag('over') ? 'result' : 'match') : 'lobby'))
          .map((v) => (
            <Button
              key={v.name}
              size="xs"
              variant="ghost"
              onClick={() => send({ do: 'vote', name: v.name }, `Vote: ${v.title}`)}
            >
              Vote: {v.title}
            </Button>
          ))}
      </HStack>
    )
  const words =
    open.on === 'words'
      ? (open.words ?? [])
      : open.on === 'arenas'
        ? (copy.book.arenas ?? []).map((a) => a.name)
        : ['yes', 'no']
  return (
    <HStack gap="1" wrap="wrap">
      {words.map((w) => (
        <Button
          key={w}
          size="xs"
          variant="outline"
          onClick={() => send({ do: 'vote', name: open.name, text: w }, `Voted ${w}`)}
        >
          {plainName(w)}
        </Button>
      ))}
    </HStack>
  )
}

/** Moves and acts by keys, while the page has the focus and nobody writes. */
function useSteering(source: LiveSource, keys: Keys, act: (a: ActionInfo) => void, next: () => void) {
  const latest = useRef({ act, next })
  latest.current = { act, next }
  useEffect(() => {
    const down = new Set<string>()
    let last = ''
    const steer = () => {
      if (!source.copy?.book.moves) return
      const x = Number(down.has(keys.right)) - Number(down.has(keys.left))
      const y = Number(down.has(keys.down)) - Number(down.has(keys.up))
      const z = Number(down.has(keys.rise)) - Number(down.has(keys.sink))
      const unit = x && y ? 707 : 1000
      const at = [x * unit, y * unit, z * 1000].slice(0, source.copy.ground?.tall ? 3 : 2)
      if (at.join() === last) return
      last = at.join()
      source.connection.send({ do: 'steer', at }).catch(() => undefined)
    }
    const tall = () => (source.copy?.ground?.tall ?? 0) > 0
    const writes = (e: KeyboardEvent) =>
      (e.target as HTMLElement).matches?.('input, textarea, select, [contenteditable=true]')
    const onDown = (e: KeyboardEvent) => {
      if (e.repeat || e.ctrlKey || e.metaKey || e.altKey || writes(e)) return
      const i = keys.acts.indexOf(e.code)
      const a = source.copy?.book.actions?.[i]
      if ([keys.up, keys.down, keys.left, keys.right, ...(tall() ? [keys.rise, keys.sink] : [])].includes(e.code)) {
        e.preventDefault()
        down.add(e.code)
        steer()
      } else if (e.code === keys.next) latest.current.next()
      else if (a && !a.takes?.length) latest.current.act(a)
    }
    const onUp = (e: KeyboardEvent) => {
      if (down.delete(e.code)) steer()
    }
    const off = () => {
      down.clear()
      steer()
    }
    addEventListener('keydown', onDown)
    addEventListener('keyup', onUp)
    addEventListener('blur', off)
    return () => {
      removeEventListener('keydown', onDown)
      removeEventListener('keyup', onUp)
      removeEventListener('blur', off)
    }
  }, [source, keys])
}

/** Steering by touch: on devices without a pointer that hovers. */
function Pad({
  source,
  shown: on,
  send,
}: {
  source: LiveSource
  shown: boolean
  send: (i: Intent, what: string) => void
}) {
  if (!on || !matchMedia('(pointer: coarse)').matches) return null
  const tall = (source.copy?.ground?.tall ?? 0) > 0
  const ways: [string, number[]][] = [
    ['←', [-1000, 0, 0]],
    ['↑', [0, -1000, 0]],
    ['↓', [0, 1000, 0]],
    ['→', [1000, 0, 0]],
    ...(tall ? ([['⤒', [0, 0, 1000]]] as [string, number[]][]) : []),
  ]
  const move = (at: number[], what: string) =>
    send({ seat: source.connection.seats[0], do: 'steer', at: at.slice(0, tall ? 3 : 2) }, what)
  return (
    <HStack gap="2" justify="center">
      {ways.map(([sign, at]) => (
        <Button
          key={sign}
          size="lg"
          variant="surface"
          aria-label={`Move ${sign}`}
          touchAction="none"
          onPointerDown={() => move(at, 'Moving')}
          onPointerUp={() => move([0, 0, 0], '')}
        >
          {sign}
        </Button>
      ))}
    </HStack>
  )
}
