import { Feed, type FeedOptions } from './feed.ts'
import type { Message, TopicWatch } from './wire.ts'

export interface TopicOptions<Row> extends FeedOptions {
  topic: TopicWatch
  /** Called after each change with all rows in their order: a new array; rows that did not change are the same. */
  onChange?: (rows: readonly Row[]) => void
}

/** A topic, kept up to date by the service. What a row is, the HTTP route for the same thing says. */
export class WatchedTopic<Row> extends Feed {
  rows?: readonly Row[]
  private byKey = new Map<string, Row>()

  constructor(private readonly options: TopicOptions<Row>) {
    super(options, { topic: options.topic })
  }

  protected take(m: Message): boolean {
    let order: string[]
    if (m.is === 'topic') {
      this.byKey = new Map(m.rows.map((r) => [r.key, r.row as Row]))
      order = m.rows.map((r) => r.key)
    } else if (m.is === 'news') {
      for (const r of m.set ?? []) this.byKey.set(r.key, r.row as Row)
      order = m.order
    } else return false
    this.byKey = new Map(order.map((k) => [k, this.byKey.get(k)!]))
    this.rows = [...this.byKey.values()]
    this.options.onChange?.(this.rows)
    return true
  }
}
