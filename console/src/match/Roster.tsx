import { Badge, Text } from '@chakra-ui/react'
import { memo, useMemo, type CSSProperties } from 'react'
import type { Copy, FieldInfo, Sheet } from 'turnvex-client'
import { Empty, Section } from '../app/Page.tsx'
import { Bar, Value } from './Bar.tsx'
import { Clock } from './Clock.tsx'
import { useKeys, useSlowKeys } from './connections.ts'
import { isBar, label, scoreField, standing, teamNo } from './fields.ts'
import { Glyph } from './Glyph.tsx'
import type { Source } from './source.ts'
import { Outcome } from './State.tsx'
import './match.css'

/** How often the order is looked at again, in milliseconds: rows that jump about cannot be read. */
const sortEvery = 500

/**
 * Every seat with its state, its bars and its numbers, the best first. It is a table of elements that lie on a
 * grid, so that what changes in one row moves no other.
 */
export function Roster({ source }: { source: Source }) {
  const score = source.copy && scoreField(source.copy)
  useKeys(source, 'player+', 'match+')
  useSlowKeys(source, sortEvery, 'player.place', `player.${score?.name ?? 'place'}`)
  const { copy } = source
  const playing = !!copy?.match
  const { bars, numbers } = useMemo(() => columns(playing ? copy : undefined), [copy, playing])
  const grid = useMemo(() => widths(bars.length, numbers.length), [bars, numbers])
  if (!copy) return null
  const players = standing(copy, score)
  return (
    <Section
      title="Players"
      flush
      beside={
        <Text fontSize="xs" color="fg.muted">
          {players.length > 0 && `${players.length} here`}
        </Text>
      }
    >
      {players.length === 0 ? (
        <Empty title="Nobody has a seat yet">Join with the code above, or take seats under “Play here”.</Empty>
      ) : (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: who has no mouse scrolls it
        // biome-ignore lint/a11y/useSemanticElements: rows of a table cannot be laid out each by itself
        <div role="table" aria-label="Players" className="roster" tabIndex={0}>
          {/* biome-ignore lint/a11y/useSemanticElements: the same */}
          {/* biome-ignore lint/a11y/useFocusableInteractive: a row is read and not used */}
          <div role="row" className="roster-row roster-head" style={grid}>
            <Head text="Player" />
            {bars.length > 0 && <Head text="State" />}
            {numbers.map((f) => (
              <Head key={f.no} text={label(f)} end />
            ))}
          </div>
          {players.map((p) => (
            <Row key={p.id} source={source} id={p.id} bars={bars} numbers={numbers} grid={grid} />
          ))}
        </div>
      )}
    </Section>
  )
}

/** How wide the columns are: the same in every row. */
const widths = (bars: number, numbers: number): CSSProperties => ({
  gridTemplateColumns: `minmax(128px, 3fr)${bars ? ' minmax(150px, 4fr)' : ''}${' 66px'.repeat(numbers)}`,
  minWidth: `${160 + (bars ? 150 : 0) + 66 * numbers}px`,
})

function Head({ text, end }: { text: string; end?: boolean }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: as the table around it
    // biome-ignore lint/a11y/useFocusableInteractive: it is read and not used
    <div role="columnheader" className={end ? 'roster-cell end' : 'roster-cell'} title={text}>
      {text}
    </div>
  )
}

/** Which fields are bars and which are numbers, as far as there is room. Between matches there are none. */
function columns(copy: Copy | undefined): { bars: FieldInfo[]; numbers: FieldInfo[] } {
  if (!copy) return { bars: [], numbers: [] }
  const kinds = new Set(['text', 'list', 'position', 'position3'])
  const fields = copy.schema
    .fields('player')
    .filter((f) => f.own && f.show !== 'aside' && !kinds.has(f.type) && !f.name.startsWith('cool_'))
  return {
    bars: fields.filter(isBar).slice(0, 4),
    numbers: fields.filter((f) => !isBar(f)).slice(0, copy.ground ? 4 : 8),
  }
}

const watched = ['name', 'team', 'ready', 'away', 'alive', 'playing', 'outcome', 'stand_in']

const Row = memo(function Row({
  source,
  id,
  bars,
  numbers,
  grid,
}: {
  source: Source
  id: number
  bars: FieldInfo[]
  numbers: FieldInfo[]
  grid: CSSProperties
}) {
  useKeys(source, ...watched.map((k) => `#${id}.${k}`), 'lobby.host', 'match+', 'match.over')
  const { copy } = source
  const p = copy?.sheet(id)
  if (!copy || !p) return null
  const team = teamNo(copy, p.num('team'))
  const out = copy.match && p.flag('playing') && !p.flag('alive')
  return (
    // biome-ignore lint/a11y/useSemanticElements: as the table around it
    // biome-ignore lint/a11y/useFocusableInteractive: it is read and not used
    <div role="row" className="roster-row" data-seat={id} data-out={out} style={grid}>
      <Cell>
        <div className="roster-name">
          {copy.of('team').length > 0 && <Glyph team={team} title={copy.sheet(p.num('team'))?.text('title')} />}
          <span dir="auto" title={p.text('name')}>
            {p.text('name')}
          </span>
        </div>
        <Condition p={p} copy={copy} source={source} />
      </Cell>
      {bars.length > 0 && (
        <Cell>
          {bars.map((f) => (
            <Bar key={f.no} source={source} id={id} field={f} />
          ))}
        </Cell>
      )}
      {numbers.map((f) => (
        <Cell key={f.no} end>
          {f.type === 'clock' ? (
            <Clock source={source} sheet={p} field={f.name} />
          ) : (
            <Value source={source} id={id} field={f} />
          )}
        </Cell>
      ))}
    </div>
  )
})

function Cell({ end, children }: { end?: boolean; children: React.ReactNode }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: as the table around it
    <div role="cell" className={end ? 'roster-cell end' : 'roster-cell'}>
      {children}
    </div>
  )
}

/** The short words under a name: host, away, ready, out. */
function Condition({ p, copy, source }: { p: Sheet; copy: Copy; source: Source }) {
  const match = copy.match
  const over = match?.flag('over')
  const word = (text: string, colour?: string) => (
    <Badge key={text} size="xs" colorPalette={colour}>
      {text}
    </Badge>
  )
  const ping = copy.schema.named('player', 'ping')
  return (
    <div className="roster-words">
      {copy.lobby?.num('host') === p.id && word('host')}
      {p.flag('stand_in') && word('stand-in')}
      {p.flag('away') && word('away', 'red')}
      {!match && p.flag('ready') && word('ready', 'green')}
      {match && !over && p.flag('playing') && !p.flag('alive') && (
        <Badge size="xs" colorPalette="orange">
          out <Clock source={source} sheet={p} field="respawn" fontSize="inherit" />
        </Badge>
      )}
      {over && <Outcome outcome={p.text('outcome')} />}
      {match && !p.flag('playing') && word('next match')}
      {!p.flag('stand_in') && !p.flag('away') && ping && <Value source={source} id={p.id} field={ping} />}
    </div>
  )
}
