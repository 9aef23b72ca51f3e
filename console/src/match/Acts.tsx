import { Button, Dialog, Field, Input, Portal } from '@chakra-ui/react'
import { useState } from 'react'
import { Refused } from 'turnvex-client'
import { Failed } from '../app/Page.tsx'
import { http } from '../app/session.ts'
import { useKeys } from './connections.ts'
import type { Source } from './source.ts'

/** An act that asks for a reason, which stands in the audit trail, and says what will happen. */
export function Act({
  name,
  what,
  tells,
  does,
  disabled,
}: {
  name: string
  /** What will happen. */
  what: string
  /** What the player reads of it, as the label of a second field; without it there is none. */
  tells?: string
  does: (why: string, tell: string) => Promise<unknown>
  disabled?: boolean
}) {
  const [open, setOpen] = useState(false)
  const [why, setWhy] = useState('')
  const [tell, setTell] = useState('')
  const [problem, setProblem] = useState<Error>()
  const [busy, setBusy] = useState(false)
  const go = () => {
    setBusy(true)
    setProblem(undefined)
    does(why.trim(), tell.trim())
      .then(
        () => {
          setOpen(false)
          setWhy('')
          setTell('')
        },
        (e: Error) => setProblem(e),
      )
      .finally(() => setBusy(false))
  }
  return (
    <>
      <Button size="xs" variant="outline" colorPalette="red" disabled={disabled} onClick={() => setOpen(true)}>
        {name}
      </Button>
      <Dialog.Root role="alertdialog" open={open} onOpenChange={(d) => setOpen(d.open)}>
        <Portal>
          <Dialog.Backdrop />
          <Dialog.Positioner>
            <Dialog.Content asChild>
              <form
                onSubmit={(e) => {
                  e.preventDefault()
                  go()
                }}
              >
                <Dialog.Header>
                  <Dialog.Title>{name}</Dialog.Title>
                </Dialog.Header>
                <Dialog.Body>
                  <Dialog.Description mb="4">{what}</Dialog.Description>
                  <Field.Root required>
                    <Field.Label>Reason, for the audit trail</Field.Label>
                    <Input value={why} maxLength={200} onChange={(e) => setWhy(e.target.value)} autoFocus />
                  </Field.Root>
                  {tells && (
                    <Field.Root mt="4">
                      <Field.Label>{tells}</Field.Label>
                      <Input value={tell} maxLength={200} onChange={(e) => setTell(e.target.value)} />
                    </Field.Root>
                  )}
                  {problem && <Failed error={problem} />}
                </Dialog.Body>
                <Dialog.Footer>
                  <Button variant="ghost" onClick={() => setOpen(false)}>
                    Cancel
                  </Button>
                  <Button type="submit" colorPalette="red" loading={busy} disabled={!why.trim()}>
                    {name}
                  </Button>
                </Dialog.Footer>
              </form>
            </Dialog.Content>
          </Dialog.Positioner>
        </Portal>
      </Dialog.Root>
    </>
  )
}

/** What operators may do to a lobby. */
export function Acts({ source, code }: { source: Source; code: string }) {
  useKeys(source, 'match+', 'match.over')
  const match = source.copy?.match
  const running = match && !match.flag('over')
  return (
    <>
      <Act
        name="End match"
        what="The match ends now. Its result is computed by its rulebook and saved."
        disabled={!running}
        does={(why) =>
          http.call('POST /v1/lobbies/{code}/end', {
            path: { code },
            query: { why },
            body: { because: why.slice(0, 64) },
          })
        }
      />
      <Act
        name="Close lobby"
        what="Everyone is removed and the lobby closes. If a match is running, it ends and its result is saved."
        does={(why) =>
          http.call('DELETE /v1/lobbies/{code}', { path: { code }, query: { why } }).catch((e: Error) => {
            if (!(e instanceof Refused) || e.code !== 'no-such-lobby') throw e
          })
        }
      />
    </>
  )
}
