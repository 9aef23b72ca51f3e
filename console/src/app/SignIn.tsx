import { Button, CloseButton, Dialog, Field, Input, Portal, Text } from '@chakra-ui/react'
import { useState, type FormEvent } from 'react'
import { useSession } from './calls.ts'
import { leaveKey, signInKey, signOut, takeKey } from './session.ts'

/** Asks whether the key of a link takes the place of who is signed in. */
export function OtherKey() {
  const { asked, who } = useSession()
  return (
    <Dialog.Root open={asked === true} role="alertdialog" onOpenChange={leaveKey}>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content data-test="other-key">
            <Dialog.Header>
              <Dialog.Title>Sign in with another key?</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              You are signed in as {who?.name}. The link that you have opened holds a service key. If you did not expect
              that, stay signed in: with somebody else’s key you would work in their name.
            </Dialog.Body>
            <Dialog.Footer>
              <Button variant="outline" onClick={() => void takeKey()}>
                Use the link’s key
              </Button>
              <Button autoFocus onClick={leaveKey}>
                Stay signed in
              </Button>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}

/** The operator's sign-in, with a key. When the session has ended it asks again, over the page as it is. */
export function SignIn() {
  const { state } = useSession()
  const [wanted, setWanted] = useState(false)
  const ended = state === 'ended'
  return (
    <>
      {state === 'out' && (
        <Button size="xs" variant="outline" onClick={() => setWanted(true)}>
          Operator sign-in
        </Button>
      )}
      <Dialog.Root
        open={ended || wanted}
        closeOnInteractOutside={!ended}
        closeOnEscape={!ended}
        onOpenChange={(d) => setWanted(d.open)}
      >
        <Portal>
          <Dialog.Backdrop />
          <Dialog.Positioner>
            <Dialog.Content>
              <Form ended={ended} done={() => setWanted(false)} />
              {!ended && (
                <Dialog.CloseTrigger asChild>
                  <CloseButton size="sm" />
                </Dialog.CloseTrigger>
              )}
            </Dialog.Content>
          </Dialog.Positioner>
        </Portal>
      </Dialog.Root>
    </>
  )
}

function Form({ ended, done }: { ended: boolean; done: () => void }) {
  const [key, setKey] = useState('')
  const [problem, setProblem] = useState('')
  const [busy, setBusy] = useState(false)
  const submit = (e: FormEvent) => {
    e.preventDefault()
    setBusy(true)
    signInKey(key.trim())
      .then(done, (err: Error) => setProblem(err.message))
      .finally(() => setBusy(false))
  }
  return (
    <form onSubmit={submit} data-test="sign-in">
      <Dialog.Header>
        <Dialog.Title>{ended ? 'Sign in again' : 'Operator sign-in'}</Dialog.Title>
      </Dialog.Header>
      <Dialog.Body>
        {ended && (
          <Text mb="4" color="fg.muted">
            Your session has ended. The page stays as it is; sign in to go on.
          </Text>
        )}
        <Field.Root invalid={problem !== ''}>
          <Field.Label>Service key</Field.Label>
          <Input
            type="password"
            autoFocus
            autoComplete="current-password"
            value={key}
            onChange={(e) => setKey(e.target.value)}
          />
          <Field.HelperText>
            The service prints the operator's key once, at its first start. It is not kept in this browser.
          </Field.HelperText>
          <Field.ErrorText>{problem}</Field.ErrorText>
        </Field.Root>
      </Dialog.Body>
      <Dialog.Footer>
        {ended && (
          <Button variant="ghost" onClick={() => void signOut()}>
            Sign out
          </Button>
        )}
        <Button type="submit" disabled={!key.trim()} loading={busy}>
          Sign in
        </Button>
      </Dialog.Footer>
    </form>
  )
}
