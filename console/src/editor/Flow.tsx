import { Box, HStack, NativeSelect, Text } from '@chakra-ui/react'
import { useState } from 'react'
import type { Answer } from 'turnvex-client'
import { useListing } from '../app/live.ts'
import { Section } from '../app/Page.tsx'
import { session, token } from '../app/session.ts'
import { plainName } from '../app/words.ts'
import { Clock } from '../match/Clock.tsx'
import { useKeys, useLive } from '../match/connections.ts'
import { lay, nodeHeight, nodeWidth, type Flow as Phases } from './graph.ts'

/** How phases lead to each other, as a graph, and where a running match of the rulebook is in it. */
export function Flow({ flow, name }: { flow: Answer<'POST /v1/rulebooks/check'>['flow']; name: string }) {
  const { data } = useListing()
  const running = [...(data?.values() ?? [])].filter((l) => l.rulebook === name)
  const [chosen, setChosen] = useState('')
  const code = running.some((l) => l.code === chosen) ? chosen : (running[0]?.code ?? '')
  if (!flow?.length) return null
  return (
    <Section
      title="Flow of phases"
      data-test="flow"
      beside={
        running.length > 0 && (
          <HStack gap="2">
            <Text fontSize="xs" color="fg.muted">
              Follow
            </Text>
            <NativeSelect.Root size="xs" w="auto" maxW="190px">
              <NativeSelect.Field
                aria-label="Lobby to follow"
                value={code}
                onChange={(e) => setChosen(e.currentTarget.value)}
              >
                {running.map((l) => (
                  <option key={l.code} value={l.code}>
                    {l.title || l.code}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </HStack>
        )
      }
    >
      {code ? <Followed key={code} flow={flow} code={code} /> : <Graph flow={flow} />}
    </Section>
  )
}

function Followed({ flow, code }: { flow: Phases; code: string }) {
  const all = session.can('read')
  const source = useLive(`${code} flow`, () => ({
    address: location.origin,
    tokens: token,
    lobby: code,
    ...(all ? { all: true } : { watch: true }),
  }))
  useKeys(source, 'lobby.state', 'match+', 'match.phase', 'match.over', 'match.round', 'match.paused')
  const match = source?.copy?.match
  const over = match?.flag('over')
  const at = match ? (over ? '' : match.text('phase')) : undefined
  return (
    <>
      <Text fontSize="xs" color="fg.muted" mb="2" aria-live="off">
        {!match && 'Between matches.'}
        {match && `Match ${match.num('number')}`}
        {match && match.num('round') > 0 && `, round ${match.num('round')}`}
        {match && over && `: over, ${match.text('because')}`}
        {match && !over && `: ${plainName(at ?? '')} `}
        {source && match && !over && <Clock source={source} sheet={match} field="clock" />}
        {match?.text('paused') === 'yes' && ' paused'}
      </Text>
      <Graph flow={flow} at={at} />
    </>
  )
}

/** The graph itself; the phase that a match is in stands out, '' being the end. */
function Graph({ flow, at }: { flow: Phases; at?: string }) {
  const { nodes, edges, width, height } = lay(flow)
  return (
    <Box overflowX="auto" tabIndex={0} role="group" aria-label="Graph of the phases">
      <svg width={width} height={height} role="img" aria-label={inWords(flow)} style={{ display: 'block' }}>
        <defs>
          <marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">
            <path d="M0,0 L8,4 L0,8 z" fill="var(--chakra-colors-fg-muted)" />
          </marker>
        </defs>
        {edges.map((e) => (
          <g key={e.key}>
            <title>{e.why}</title>
            <path
              d={e.path}
              fill="none"
              stroke="var(--chakra-colors-fg-muted)"
              strokeWidth="1.2"
              markerEnd="url(#tip)"
            />
            <text x={e.x} y={e.y} style={{ fontSize: 11 }} fill="var(--chakra-colors-fg-muted)">
              {e.label}
            </text>
          </g>
        ))}
        {nodes.map((n) => {
          const here = at === n.name
          return (
            <g key={n.name || 'end'} data-phase={n.name || 'end'} data-here={here || undefined}>
              <rect
                x={n.x}
                y={n.y}
                width={nodeWidth}
                height={nodeHeight}
                rx={n.name ? 5 : nodeHeight / 2}
                fill={here ? 'var(--chakra-colors-teal-solid)' : 'var(--chakra-colors-bg-muted)'}
                stroke="var(--chakra-colors-border-emphasized)"
                strokeDasharray={n.frozen ? '4 3' : undefined}
              />
              <text
                x={n.x + 10}
                y={n.y + (n.note ? 16 : 23)}
                style={{ fontSize: 12.5 }}
                fontWeight="600"
                fill={here ? '#fff' : 'var(--chakra-colors-fg)'}
              >
                {here ? '▶ ' : ''}
                {n.title}
              </text>
              {n.note && (
                <text
                  x={n.x + 10}
                  y={n.y + 30}
                  style={{ fontSize: 10.5 }}
                  fill={here ? '#fff' : 'var(--chakra-colors-fg-muted)'}
                >
                  {n.note}
                </text>
              )}
            </g>
          )
        })}
      </svg>
    </Box>
  )
}

/** The graph for those who cannot see it. */
const inWords = (flow: Phases) =>
  flow
    .map(
      (p) =>
        `${p.title} leads to ${(p.leads ?? []).map((l) => `${l.to || 'the end'} (${l.why})`).join(', ') || 'nothing'}`,
    )
    .join('. ')
