import { Badge, Card, Flex, Heading, HStack, Stack, Stat, Text } from '@chakra-ui/react'
import { formatClock, type Connection, type Copy } from 'turnvex-client'
import { teamColours } from '../theme.tsx'
import { declared, label, phaseTitle, shown, teamNo } from './fields.ts'
import { Outcome, State } from './State.tsx'

/** Phase, clock and scores. */
export function Header({ copy, live, away }: { copy: Copy; live: Connection; away: boolean }) {
  const lobby = copy.lobby
  const match = copy.match
  if (!lobby) return null
  return (
    <Card.Root>
      <Card.Body py="4">
        <Flex gap="8" align="center" wrap="wrap">
          <Stack gap="1" flex="1" minW="280px">
            <Heading size="lg">{lobby.text('title')}</Heading>
            <HStack color="fg.muted" fontSize="sm" wrap="wrap">
              <Text fontFamily="mono" fontWeight="semibold" color="fg">
                {lobby.text('code')}
              </Text>
              <Text>{copy.book.title}</Text>
              <Text>
                {lobby.num('seats')} of {lobby.num('capacity')} seats, {lobby.num('spectators')} watching
              </Text>
              <State state={lobby.text('state')} />
              {lobby.flag('practice') && <Badge>practice</Badge>}
              {away && <Badge colorPalette="red">connection lost, trying again</Badge>}
            </HStack>
          </Stack>
          <Stat.Root flex="none" minW="150px">
            <Stat.Label data-test="phase">
              {match ? (match.flag('over') ? `Over: ${match.text('because')}` : phaseTitle(copy)) : 'Next match'}
            </Stat.Label>
            <Stat.ValueText fontFamily="mono" fontSize="3xl" data-test="clock">
              {match
                ? formatClock(live.clock(match, 'clock'))
                : lobby.text('state') === 'starting'
                  ? formatClock(live.clock(lobby, 'countdown'))
                  : '–'}
            </Stat.ValueText>
            <Stat.HelpText minH="5">
              {match && match.num('round') > 0 && `round ${match.num('round')} `}
              {copy.arena?.title}
              {match?.text('paused') === 'yes' && <Badge colorPalette="orange">paused</Badge>}
              {match?.text('paused') === 'resuming' && (
                <Badge colorPalette="orange">goes on in {formatClock(live.clock(match, 'resume')).slice(3, 8)}</Badge>
              )}
            </Stat.HelpText>
          </Stat.Root>
          {copy.of('team').map((t) => (
            <Stat.Root key={t.id} flex="none" colorPalette={teamColours[teamNo(copy, t.id)]} minW="110px">
              <Stat.Label color="colorPalette.fg" fontWeight="semibold">
                {t.text('title')}
              </Stat.Label>
              <Stat.ValueText fontSize="3xl">{mainScore(copy, t)}</Stat.ValueText>
              <Stat.HelpText minH="5">
                {t.num('rounds') > 0 && `${t.num('rounds')} won `}
                <Outcome outcome={t.text('outcome')} />
              </Stat.HelpText>
            </Stat.Root>
          ))}
        </Flex>
      </Card.Body>
    </Card.Root>
  )
}

/** A team's first declared number, or its size. */
function mainScore(copy: Copy, t: ReturnType<Copy['of']>[number]) {
  const f = declared(t).find((f) => f.type === 'integer' || f.type === 'number')
  return f ? (
    <>
      {shown(copy, f, t.raw(f.name))}
      <Stat.ValueUnit>{label(f).toLowerCase()}</Stat.ValueUnit>
    </>
  ) : (
    <>
      {t.num('size')}
      <Stat.ValueUnit>players</Stat.ValueUnit>
    </>
  )
}
