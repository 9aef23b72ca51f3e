import { Button, HStack, Input, NativeSelect, Text } from '@chakra-ui/react'
import { useState, type FormEvent } from 'react'
import type { FieldInfo, Intent, Sheet } from 'turnvex-client'
import { useKeys } from './connections.ts'
import { label, nameOf, shown } from './fields.ts'
import type { LiveSource, Source } from './source.ts'

/** What the host of a practice match does by hand. */
export function ByHand({ source }: { source: LiveSource }) {
  useKeys(source, 'match+', 'lobby.host')
  const { copy, connection } = source
  if (!copy?.lobby?.flag('practice') || copy.lobby.num('host') !== connection.me?.id) return null
  const ask = (intent: Intent) =>
    connection.send(intent).then((v) => {
      if (!v.ok) throw new Error(v.reason ?? v.code)
    })
  return (
    <>
      <Stepping source={source} advance={(value) => ask({ do: 'advance', value })} />
      <SetField source={source} set={(target, name, value) => ask({ do: 'set', target, name, value })} />
    </>
  )
}

/** Sets a field of a practice match by hand. */
export function SetField({
  source,
  set,
}: {
  source: Source
  set: (sheet: number, field: string, value: unknown) => Promise<unknown>
}) {
  useKeys(source, 'player+', 'match+', 'match.over', 'team+')
  const copy = source.copy
  const [id, setId] = useState<number>()
  const [name, setName] = useState('')
  const [text, setText] = useState('')
  const [said, setSaid] = useState('')
  if (!copy?.match || copy.match.flag('over') || !copy.lobby?.flag('practice')) return null
  const sheets = [...copy.of('player'), ...copy.of('team'), copy.match].filter((s) => settable(s).length > 0)
  const sheet = sheets.find((s) => s.id === id) ?? sheets[0]
  if (!sheet) return null
  const fields = settable(sheet)
  const field = fields.find((f) => f.name === name) ?? fields[0]
  const submit = (e: FormEvent) => {
    e.preventDefault()
    if (!field) return
    set(sheet.id, field.name, written(field, text)).then(
      () => setSaid('Set.'),
      (err: Error) => setSaid(err.message),
    )
  }
  return (
    <form onSubmit={submit} data-test="by-hand">
      <HStack gap="2" wrap="wrap">
        <Text fontSize="xs" color="fg.muted">
          Set by hand
        </Text>
        <Choice name="Sheet" value={String(sheet.id)} set={(v) => setId(Number(v))}>
          {sheets.map((s) => [String(s.id), s.kind === 'match' ? 'the match' : nameOf(copy, s.id)])}
        </Choice>
        <Choice name="Field" value={field?.name ?? ''} set={setName}>
          {fields.map((f) => [f.name, label(f)])}
        </Choice>
        <Input
          size="xs"
          w="24"
          aria-label="Value"
          placeholder={field ? shown(copy, field, sheet.raw(field.name)) : ''}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <Button size="xs" type="submit" variant="outline" disabled={!text.trim()}>
          Set
        </Button>
        <Text fontSize="xs" color="fg.muted" role="status">
          {said}
        </Text>
      </HStack>
    </form>
  )
}

/** Lets single ticks of a practice match pass; a is asked to advance by so many. */
export function Stepping({ source, advance }: { source: Source; advance: (ticks: number) => Promise<unknown> }) {
  useKeys(source, 'match+', 'match.over', 'match.paused', 'match.play')
  const [said, setSaid] = useState('')
  const copy = source.copy
  const match = copy?.match
  if (!copy?.lobby?.flag('practice') || !match || match.flag('over')) return null
  const frozen = match.text('paused') !== 'no'
  const play = match.raw('play')
  const ask = (ticks: number) =>
    advance(ticks).then(
      () => setSaid(''),
      (e: Error) => setSaid(e.message),
    )
  const steps: [string, number][] = [
    ['1 tick', 1],
    ['5 ticks', 5],
    ['1 second', copy.rate],
    ['Run', 36000],
  ]
  return (
    <HStack gap="1" wrap="wrap" data-test="stepping">
      <Text fontSize="xs" color="fg.muted">
        Step by step
      </Text>
      {frozen ? (
        steps.map(([name, n]) => (
          <Button key={name} size="xs" variant="outline" onClick={() => void ask(n)}>
            {name}
          </Button>
        ))
      ) : (
        <Button size="xs" variant="outline" onClick={() => void ask(1)}>
          Freeze
        </Button>
      )}
      <Text fontSize="xs" color={said ? 'fg.error' : 'fg.muted'} role="status">
        {said || (frozen && Array.isArray(play) ? `frozen at play tick ${play[0]}` : '')}
      </Text>
    </HStack>
  )
}

const types = new Set(['integer', 'number', 'flag', 'choice', 'text'])
const settable = (s: Sheet) => s.fields().filter((f) => f.own && types.has(f.type))

function written(f: FieldInfo, text: string): unknown {
  const number = Number(text)
  if ((f.type === 'integer' || f.type === 'number') && !Number.isNaN(number)) return number
  if (f.type === 'flag') return text.trim() === 'yes' || text.trim() === 'true'
  return text.trim()
}

function Choice({
  name,
  value,
  set,
  children,
}: {
  name: string
  value: string
  set: (v: string) => void
  children: [string, string][]
}) {
  return (
    <NativeSelect.Root size="xs" w="auto">
      <NativeSelect.Field aria-label={name} value={value} onChange={(e) => set(e.currentTarget.value)}>
        {children.map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
