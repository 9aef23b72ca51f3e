import { Button, Dialog, Field, Input, Portal } from '@chakra-ui/react'
import { useState, type FormEvent } from 'react'
import { signInKey } from './service.ts'

/** The operator's sign-in, with a key. */
export function SignIn() {
  const [open, setOpen] = useState(false)
  const [key, setKey] = useState('')
  const [problem, setProblem] = useState('')
  const submit = (e: FormEvent) => {
    e.preventDefault()
    signInKey(key.trim()).then(
      () => setOpen(false),
      (err: Error) => setProblem(err.message),
    )
  }
  return (
    <Dialog.Root open={open} onOpenChange={(d) => setOpen(d.open)}>
      <Dialog.Trigger asChild>
        <Button size="xs" variant="outline">
          Operator sign-in
        </Button>
      </Dialog.Trigger>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content asChild>
            <form onSubmit={submit}>
              <Dialog.Header>
                <Dialog.Title>Operator sign-in</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body>
                <Field.Root invalid={problem !== ''}>
                  <Field.Label>Operator's key</Field.Label>
                  <Input
                    type="password"
                    autoFocus
                    autoComplete="current-password"
                    value={key}
                    onChange={(e) => setKey(e.target.value)}
                  />
                  <Field.HelperText>The service printed it once, at its first start.</Field.HelperText>
                  <Field.ErrorText>{problem}</Field.ErrorText>
                </Field.Root>
              </Dialog.Body>
              <Dialog.Footer>
                <Button type="submit" disabled={!key.trim()}>
                  Sign in
                </Button>
              </Dialog.Footer>
            </form>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
