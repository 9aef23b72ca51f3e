import { Badge, Box, Flex, HStack, Stack, Text } from '@chakra-ui/react'
import type { Copy, Sheet } from 'turnvex-client'
import { CopyButton } from '../app/Page.tsx'
import { many } from '../app/words.ts'
import { teamColours } from '../app/theme.tsx'
import { Clock } from './Clock.tsx'
import { useKeys } from './connections.ts'
import { declared, nameOf, phaseTitle, shortClock, shown, teamNo } from './fields.ts'
import { Glyph } from './Glyph.tsx'
import type { Source } from './source.ts'
import { Outcome, State } from './State.tsx'

/** The lobby, the phase with its clock, and the scores of teams. */
export function Header({ source, small }: { source: Source; small?: boolean }) {
  useKeys(source, 'lobby', 'match', 'team', 'state', 'player+', 'player.ready')
  const copy = source.copy
  const lobby = copy?.lobby
  if (!copy || !lobby) return null
  return (
    <Box as="section" aria-label="Match" bg="bg" borderWidth="1px" rounded="md">
      <Flex align="stretch" wrap="wrap">
        <Stack
          gap="1"
          flex={small ? '1 1 120px' : '1 1 240px'}
          px={small ? '3' : '4'}
          py={small ? '2' : '3'}
          minW="0"
          justify="center"
        >
          <Text
            as={small ? 'h2' : 'h1'}
            fontSize={small ? 'sm' : 'lg'}
            fontWeight="semibold"
            lineHeight="short"
            dir="auto"
            truncate
          >
            {lobby.text('title')}
          </Text>
          <HStack color="fg.muted" fontSize="xs" wrap="wrap" gap="2">
            <HStack gap="0">
              <Text fontFamily="mono" fontWeight="semibold" color="fg">
                {lobby.text('code')}
              </Text>
              {!small && <CopyButton text={lobby.text('code')} label="Copy the join code" />}
            </HStack>
            <State state={lobby.text('state')} />
            {!small && <Text>{copy.book.title}</Text>}
            {!small && (
              <Text>
                {lobby.num('seats')} of {lobby.num('capacity')} seats
                {lobby.num('spectators') > 0 && `, ${lobby.num('spectators')} watching`}
              </Text>
            )}
            {!small && lobby.flag('practice') && <Badge size="sm">practice</Badge>}
            {source.state === 'away' && (
              <Badge size="sm" colorPalette="red" data-test="lost">
                connection lost, trying again
              </Badge>
            )}
            {source.still && (
              <Badge size="sm" colorPalette="orange" title={source.still}>
                play stands still: the database does not answer
              </Badge>
            )}
            {Array.isArray(lobby.raw('unkept')) && (lobby.raw('unkept') as number[])[1] !== 0 && (
              <Badge size="sm" colorPalette="orange">
                nothing kept for <Clock source={source} sheet={lobby} field="unkept" />
              </Badge>
            )}
          </HStack>
        </Stack>
        <Phase source={source} copy={copy} lobby={lobby} small={small} />
        <Scores copy={copy} small={small} />
      </Flex>
    </Box>
  )
}

function Phase({ source, copy, lobby, small }: { source: Source; copy: Copy; lobby: Sheet; small?: boolean }) {
  const match = copy.match
  const over = match?.flag('over')
  const starting = lobby.text('state') === 'starting'
  const title = match ? (over ? 'Over' : phaseTitle(copy)) : starting ? 'Starts in' : 'Next match'
  const clock = over ? 'until' : 'clock'
  const paused = match?.text('paused') ?? 'no'
  return (
    <Stack
      gap="0"
      px={small ? '3' : '4'}
      py={small ? '2' : '3'}
      minW={small ? '24' : { base: '32', md: '44' }}
      borderStartWidth="1px"
      justify="center"
      aria-live="off"
    >
      <Text fontSize="xs" color="fg.muted" data-test="phase" truncate>
        {title}
        {match && match.num('round') > 0 && ` · round ${match.num('round')}`}
      </Text>
      {match || starting ? (
        <Clock
          source={source}
          sheet={match ?? lobby}
          field={match ? clock : 'countdown'}
          fontSize={small ? 'xl' : '3xl'}
          fontWeight="semibold"
          lineHeight="1.1"
          data-test="clock"
        />
      ) : (
        <Text fontSize={small ? 'md' : 'xl'} color="fg.muted">
          {gathering(copy, lobby)}
        </Text>
      )}
      <Text fontSize="xs" color="fg.muted" minH={small ? undefined : '4'} truncate title={match?.text('because')}>
        {over ? match?.text('because') : (copy.arena?.title ?? '')}
      </Text>
      {paused !== 'no' && match && !over && <Paused source={source} copy={copy} match={match} />}
    </Stack>
  )
}

/** A pause: who asked for it, and what is left of the budget for pauses. */
function Paused({ source, copy, match }: { source: Source; copy: Copy; match: Sheet }) {
  const by = match.num('pauser')
  const resuming = match.text('paused') === 'resuming'
  const budget = [match, ...copy.of('team'), ...copy.of('player')].filter(
    (s) => s.field('pauses_left') ?? s.field('pause_left'),
  )
  return (
    <HStack gap="1" wrap="wrap" data-test="paused">
      <Badge size="sm" colorPalette="orange">
        {resuming ? 'Goes on in ' : 'Paused'}
        {resuming && <Clock source={source} sheet={match} field="resume" />}
        {!resuming && by > 0 && ` by ${copy.sheet(by)?.text('name') ?? 'the service'}`}
      </Badge>
      {match.text('pause_why') && (
        <Text fontSize="xs" dir="auto" data-test="pause-why">
          {match.text('pause_why')}
        </Text>
      )}
      {budget
        .filter((s) => s.kind !== 'player' || s.id === by)
        .map((s) => (
          <Text key={s.id} fontSize="xs" color="fg.muted">
            {s.kind === 'match' ? 'left' : nameOf(copy, s.id)}
            {s.field('pauses_left') && `: ${many(s.num('pauses_left'), 'pause')}`}
            {s.field('pause_left') && ` ${shortClock(s.num('pause_left'))}`}
          </Text>
        ))}
    </HStack>
  )
}

function Scores({ copy, small }: { copy: Copy; small?: boolean }) {
  const teams = copy.of('team')
  if (teams.length === 0 || teams.length > 6) return null
  return (
    <HStack gap="0" align="stretch">
      {teams.map((t) => {
        const n = teamNo(copy, t.id)
        return (
          <Stack
            key={t.id}
            gap="0"
            px={small ? '3' : '4'}
            py={small ? '2' : '3'}
            minW={small ? '20' : { base: '24', md: '28' }}
            borderStartWidth="1px"
            justify="center"
          >
            <HStack gap="1" color={`${teamColours[n] ?? 'gray'}.fg`}>
              <Glyph team={n} />
              <Text fontSize="xs" fontWeight="semibold" truncate>
                {t.text('title')}
              </Text>
            </HStack>
            <Text fontSize={small ? 'xl' : '3xl'} fontWeight="semibold" lineHeight="1.1">
              {mainScore(copy, t)}
            </Text>
            <Box minH={small ? undefined : '4'}>
              {copy.match?.flag('over') && <Outcome outcome={t.text('outcome')} />}
            </Box>
          </Stack>
        )
      })}
    </HStack>
  )
}

/** What a team is compared by: its first declared number, or the rounds that it has won. */
function mainScore(copy: Copy, t: Sheet): string {
  const f = declared(t).find((f) => f.type === 'integer' || f.type === 'number')
  if (f) return shown(copy, f, t.raw(f.name))
  return String(t.num('rounds'))
}

/** What a lobby between matches waits for. */
function gathering(copy: Copy, lobby: Sheet): string {
  if (!lobby.flag('open')) return 'closed to newcomers'
  const players = copy.of('player')
  const ready = players.filter((p) => p.flag('ready')).length
  return players.length === 0 ? 'waiting for players' : `${ready} of ${players.length} ready`
}
