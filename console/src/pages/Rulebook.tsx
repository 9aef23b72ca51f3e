import { Badge, Box, Button, Grid, HStack, Link, NativeSelect, Stack, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { NavLink, useNavigate, useParams, useSearchParams } from 'react-router'
import { Refused, type Answer } from 'turnvex-client'
import { useCall } from '../app/calls.ts'
import { Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { http, session } from '../app/session.ts'
import { moment } from '../app/words.ts'
import { Editor, type EditorHandle } from '../editor/Editor.tsx'
import { draftOf, keepDraft } from '../editor/drafts.ts'
import { Difference } from '../editor/Difference.tsx'
import { Flow } from '../editor/Flow.tsx'
import { Rehearsal } from '../editor/Rehearsal.tsx'
import { Act } from '../match/Acts.tsx'

type Check = Answer<'POST /v1/rulebooks/check'>

const fresh = `turnvex: 1
name: first
title: First
players: {least: 1, most: 8}
sheets:
  player:
    points: {type: integer}
actions:
  score:
    do: [{add: me.points, by: 1}]
phases:
  play: {lasts: 60s}
win: {order: [{highest: me.points}]}
`

/** A rulebook in an editor: checked as one types, with its versions, and published from here. */
export default function Rulebook() {
  const { name = 'new' } = useParams()
  const [params, setParams] = useSearchParams()
  const version = params.get('version') ?? undefined
  const { data, error, refetch } = useCall(
    'GET /v1/rulebooks/{name}',
    name === 'new' || !session.can('read') ? undefined : { path: { name }, query: { version } },
  )
  if (!session.can('read'))
    return <Page title="Rulebook">{<Failed error="Sign in as an operator to use the editor." />}</Page>
  if (name !== 'new' && error)
    return (
      <Page title={name}>
        <Failed error={error} again={() => void refetch()} />
      </Page>
    )
  if (name !== 'new' && !data)
    return (
      <Page title={name}>
        <Loading lines={10} />
      </Page>
    )
  const versions = data?.versions ?? []
  return (
    <Page
      title={data?.title ?? 'New rulebook'}
      beside={
        versions.length > 1 && (
          <NativeSelect.Root size="xs" w="auto">
            <NativeSelect.Field
              aria-label="Version"
              value={data?.version}
              onChange={(e) => setParams({ version: e.currentTarget.value })}
            >
              {versions.map((v) => (
                <option key={v.version} value={v.version}>
                  {v.version} · {moment(v.made)} {v.current ? '(current)' : ''}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        )
      }
    >
      <Writing key={`${name} ${data?.version}`} was={data?.source ?? fresh} name={name} />
    </Page>
  )
}

function Writing({ was, name }: { was: string; name: string }) {
  const [text, setText] = useState(() => draftOf(name) ?? was)
  const [discarded, setDiscarded] = useState(0)
  const [trying, setTrying] = useState(false)
  const [check, setCheck] = useState<Check>()
  const [problem, setProblem] = useState<Error>()
  const [comparing, setComparing] = useState(false)
  const editor = useRef<EditorHandle>(null)
  const navigate = useNavigate()
  const queries = useQueryClient()
  const onCheck = useCallback((c: Check | undefined, e?: Error) => {
    if (c) setCheck(c)
    setProblem(e)
  }, [])
  const write = (t: string) => {
    setText(t)
    keepDraft(name, t === was ? undefined : t)
  }
  const discard = () => {
    write(was)
    setComparing(false)
    setDiscarded(discarded + 1) // the editor begins anew
  }
  const play = async () => {
    setTrying(true)
    try {
      const l = await http.call('POST /v1/rulebooks/try', { body: text })
      navigate(`/play/${l.code}?seats=${Math.min(2, l.capacity)}`)
    } catch (e) {
      setProblem(e as Error)
    } finally {
      setTrying(false)
    }
  }
  const publish = async (why: string) => {
    const done = await http.call('POST /v1/rulebooks', { body: text, query: { why, accept: 'yes' } })
    if (!done.ok)
      throw new Refused('bad-rulebook', 'It has errors and was not published. See the list beside the text.')
    keepDraft(name)
    await queries.invalidateQueries({ queryKey: ['GET /v1/rulebooks'] })
    await queries.invalidateQueries({ queryKey: ['GET /v1/rulebooks/{name}'] })
    if (done.name) navigate(`/rulebooks/${done.name}?version=${done.version ?? ''}`)
  }
  const problems = check?.problems ?? []
  const changed = text !== was
  return (
    <Grid templateColumns={{ base: 'minmax(0, 1fr)', xl: 'minmax(0, 3fr) minmax(0, 2fr)' }} gap="4" alignItems="start">
      <Section
        title="Text"
        flush
        beside={
          <HStack gap="2" wrap="wrap">
            <Badge size="sm" colorPalette={!check ? 'gray' : check.ok ? 'green' : 'red'} data-test="verdict">
              {!check
                ? 'checking'
                : check.ok
                  ? 'no errors'
                  : `${problems.filter((p) => p.severity === 'error').length} errors`}
            </Badge>
            <Button
              size="xs"
              variant="ghost"
              disabled={!changed}
              onClick={() => setComparing(!comparing)}
              aria-pressed={comparing}
            >
              {comparing ? 'Edit' : 'What changed'}
            </Button>
            <Button size="xs" variant="ghost" disabled={!changed} onClick={discard}>
              Discard changes
            </Button>
            {session.can('operator') ? (
              <Button size="xs" variant="outline" disabled={!check?.ok} loading={trying} onClick={() => void play()}>
                Play this text
              </Button>
            ) : (
              <Button asChild size="xs" variant="outline">
                <NavLink to={`/play?rulebook=${name}`}>Play the published text</NavLink>
              </Button>
            )}
            {session.can('operator') && (
              <Act
                name="Publish"
                what={`This becomes the current version of ${check?.name ?? name}. Open lobbies keep their version. ${records(check)}`}
                disabled={!check?.ok || (!changed && name !== 'new')}
                does={publish}
              />
            )}
          </HStack>
        }
      >
        {problem && <Failed error={problem} />}
        {comparing ? (
          <Difference was={was} now={text} />
        ) : (
          <Editor key={discarded} ref={editor} text={text} onChange={write} onCheck={onCheck} />
        )}
      </Section>
      <Stack gap="4" minW="0">
        <Section title="Problems" flush data-test="problems">
          {problems.length === 0 ? (
            <Empty title={check ? 'No problems' : 'Checking…'} />
          ) : (
            <Box maxH="300px" overflowY="auto" tabIndex={0} role="group" aria-label="Problems">
              {problems.map((p) => (
                <Box key={`${p.line} ${p.column} ${p.message}`} px="4" py="2" borderBottomWidth="1px">
                  <HStack gap="2" align="baseline">
                    <button
                      type="button"
                      onClick={() => editor.current?.jump(p.line, p.column)}
                      style={{ textDecoration: 'underline' }}
                    >
                      Line {p.line}
                    </button>
                    <Badge size="xs" colorPalette={p.severity === 'error' ? 'red' : 'orange'}>
                      {p.severity}
                    </Badge>
                  </HStack>
                  <Text overflowWrap="anywhere">{p.message}</Text>
                  {p.nearest && (
                    <Button size="xs" variant="outline" mt="1" onClick={() => editor.current?.fix(p)} data-test="fix">
                      Change to {p.nearest}
                    </Button>
                  )}
                </Box>
              ))}
            </Box>
          )}
        </Section>
        {(check?.records ?? []).length > 0 && (
          <Section title="Saved records and leaderboards">
            <Stack gap="2">
              {(check?.records ?? []).map((r) => (
                <Text key={`${r.field} ${r.board} ${r.what}`}>
                  <Text as="span" fontWeight="semibold">
                    {r.field ?? `Board ${r.board}`}
                  </Text>{' '}
                  {r.what}: {r.means}
                  {!!r.concerned && ` (${r.concerned} ${r.board ? 'entries' : 'players'})`}
                </Text>
              ))}
            </Stack>
          </Section>
        )}
        {session.can('operator') && <Rehearsal text={text} ready={!!check?.ok} />}
        <Flow flow={check?.flow} name={name} />
        <Text fontSize="xs" color="fg.muted">
          Hover over a word for help; press Ctrl-Space for completion.{' '}
          <Link asChild colorPalette="teal">
            <NavLink to="/docs/rulebook">Rulebook reference</NavLink>
          </Link>
        </Text>
      </Stack>
    </Grid>
  )
}

const records = (check?: Check) =>
  (check?.records ?? []).length > 0 ? 'See beside the text what it does to saved records and leaderboards.' : ''
