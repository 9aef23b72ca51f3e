// Fetches what happened in a lobby, as a recorded source.
import { http } from '../app/session.ts'
import { RecordedSource, type Line } from './source.ts'

/** The most pages of a recording that are fetched. */
const maxPages = 12

/** Everything that is kept of a lobby, or what a seat saw of it. */
export async function record(lobby: string, as: number | undefined, signal: AbortSignal): Promise<RecordedSource> {
  const lines: Line[] = []
  let from = 0
  for (let page = 0; page < maxPages; page++) {
    const text = await http.call('GET /v1/journals/{lobby}/view', {
      path: { lobby },
      query: { from, as },
      signal,
      deadline: 30_000,
    })
    let more = false
    for (const row of text.split('\n')) {
      if (!row) continue
      const line = JSON.parse(row) as Line
      lines.push(line)
      if (line.is !== 'end') continue
      more = line.more
      from = line.missing ?? line.tick
    }
    if (!more) break
  }
  return new RecordedSource(lines)
}
