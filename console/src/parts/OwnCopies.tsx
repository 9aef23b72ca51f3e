import { Button, Table, Text } from '@chakra-ui/react'
import { useState } from 'react'
import type { Copy, Difference } from 'turnvex-client'
import { call } from '../service.ts'
import { nameOf } from './fields.ts'

interface Report {
  asked: number
  answered: number
  differs: Difference[]
}

/** Asks every client whether the copy that it really holds is what it should be. */
export function OwnCopies({ code, truth }: { code: string; truth: Copy }) {
  const [report, setReport] = useState<Report>()
  const [state, setState] = useState<'idle' | 'asking' | string>('idle')
  const ask = () => {
    setState('asking')
    call<Report>(`/v1/lobbies/${code}/copies`, { method: 'POST', body: {} }).then(
      (r) => {
        setReport(r)
        setState('idle')
      },
      (e: Error) => setState(e.message),
    )
  }
  return (
    <>
      <Button size="xs" variant="outline" onClick={ask} loading={state === 'asking'} data-test="ask-copies">
        Ask the clients
      </Button>
      {state !== 'idle' && state !== 'asking' && <Text color="fg.error">{state}</Text>}
      {report && (
        <Text fontSize="sm" data-test="copies" color={report.differs.length ? 'fg.error' : 'fg.muted'}>
          {report.answered} of {report.asked} answered:{' '}
          {report.differs.length ? `${report.differs.length} fields differ` : 'their copies are right'}
        </Text>
      )}
      {report && report.differs.length > 0 && <Differences truth={truth} list={report.differs} />}
    </>
  )
}

function Differences({ truth, list }: { truth: Copy; list: Difference[] }) {
  return (
    <Table.Root size="sm" variant="outline">
      <Table.Header>
        <Table.Row>
          {['Whose copy', 'Sheet', 'Field', 'Should be', 'Is'].map((h) => (
            <Table.ColumnHeader key={h}>{h}</Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {list.slice(0, 10).map((d) => (
          <Table.Row key={`${d.seat} ${d.sheet} ${d.field}`}>
            <Table.Cell>{d.seat ? nameOf(truth, d.seat) : 'a spectator'}</Table.Cell>
            <Table.Cell>
              {d.kind} {d.sheet}
            </Table.Cell>
            <Table.Cell>{d.field ?? 'the whole sheet'}</Table.Cell>
            <Table.Cell>{d.want || 'not there'}</Table.Cell>
            <Table.Cell>{d.found || 'not there'}</Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  )
}
