import type { Connection as Live } from './connection.ts'
import type { Change, Copy, Sheet } from './copy.ts'
import type { Expected, Options, Heard } from './options.ts'
import type { Frame } from './screen.ts'
import type { Place } from './track.ts'
import type { On } from './watch.ts'
import type { Asking, FieldInfo, Intent, KindName, Value, Verdict } from './wire.ts'

/**
 * The names of a rulebook, as `turnvex types -lang typescript` writes them: with
 * `new Connection<Clash>(…)` a name that the rulebook does not have, or a value of
 * another type than it has, does not compile.
 */
export interface Names {
  /** The fields of each kind of sheet. */
  sheets: { [K in KindName]: object }
  /** What each action takes. */
  actions: object
  /** What each notice says. */
  notices: object
  teams: string
  votes: string
  /** What the intent settings may change. */
  settings: object
}

/** Where names are not checked. */
export interface AnyNames extends Names {
  actions: Record<string, never>
}

/** The one where names are checked, the other where they are not. */
type Where<N extends Names, Checked, Not> = string extends keyof N['actions'] ? Not : Checked

type Field<N extends Names, K extends KindName> = keyof N['sheets'][K] & string
type Held<N extends Names, K extends KindName, F extends string> = F extends keyof N['sheets'][K]
  ? N['sheets'][K][F]
  : Value
/** A name of a field that holds values of a type. */
type Holding<N extends Names, K extends KindName, V> = {
  [F in Field<N, K>]: N['sheets'][K][F] extends V ? F : never
}[Field<N, K>]

interface Checked<N extends Names, K extends KindName> extends Pick<Sheet, 'id' | 'owner' | 'track' | 'fields'> {
  readonly kind: K
  field(name: Field<N, K>): FieldInfo | undefined
  raw(name: Field<N, K>): Value | undefined
  get<F extends Field<N, K>>(name: F): Held<N, K, F> | undefined
  num(name: Holding<N, K, number>): number
  text<F extends Holding<N, K, string>>(name: F): Held<N, K, F>
  flag(name: Holding<N, K, boolean>): boolean
  pos(name?: Holding<N, K, number[]>): [number, number] | undefined
  height(name?: Holding<N, K, number[]>): number
}

/** A sheet of a rulebook. */
export type SheetOf<N extends Names, K extends KindName = KindName> = Where<N, { [X in K]: Checked<N, X> }[K], Sheet>

/** A copy for a rulebook. */
export interface CopyOf<N extends Names> extends Omit<Copy, 'sheet' | 'sheets' | 'of' | 'lobby' | 'match' | 'clock'> {
  readonly sheets: ReadonlyMap<number, SheetOf<N>>
  readonly lobby: SheetOf<N, 'lobby'> | undefined
  readonly match: SheetOf<N, 'match'> | undefined
  sheet<K extends KindName = KindName>(id: number, kind?: K): SheetOf<N, K> | undefined
  of<K extends KindName>(kind: K): readonly SheetOf<N, K>[]
  clock<K extends KindName>(sheet: SheetOf<N, K> | undefined, name: Holding<N, K, number[]>, wall: number): number
}

/** A change of a field, with what it held and holds. */
export interface ChangeOf<N extends Names, K extends KindName, F extends string>
  extends Omit<Change, 'sheet' | 'old' | 'now'> {
  sheet: SheetOf<N, K>
  readonly old?: Held<N, K, F>
  readonly now?: Held<N, K, F>
}

/** Which changes are wanted. */
export interface OnOf<K extends KindName, F extends string> extends Omit<On, 'kind' | 'field'> {
  kind: K
  field?: F
}

/** An action that takes nothing needs no arguments. */
type Takes<A> = keyof A extends never ? { args?: Record<string, never> } : { args: A }
type Act<A> = { [X in keyof A & string]: { do: 'act'; name: X } & Takes<A[X]> }[keyof A & string]
type Room = 'ready' | 'unready' | 'rename' | 'swap' | 'start' | 'shuffle' | 'pause' | 'resume'
type Host = 'kick' | 'ban' | 'unban' | 'hand-over' | 'advance'
type Lone = 'steer' | 'claim' | 'face' | 'mute' | 'unmute' | Room | Host

/** What a seat asks for. */
export type IntentOf<N extends Names> = Where<
  N,
  Asking &
    (
      | Act<N['actions']>
      | { do: 'stop'; name: keyof N['actions'] & string }
      | { do: 'team'; name: N['teams'] }
      | { do: 'vote'; name: N['votes'] }
      | { do: 'settings'; args: N['settings'] }
      | { do: 'set'; name: string }
      | { do: Lone }
    ),
  Intent
>

type Shows<N extends Names, K extends KindName, S> = {
  [F in Field<N, K>]: { field: F; value: N['sheets'][K][F] } & S
}[Field<N, K>]

/** What an intent is expected to do. */
export type ExpectedOf<N extends Names> = Where<
  N,
  Shows<N, 'player', { sheet?: undefined }> | { [K in KindName]: Shows<N, K, { sheet: number }> }[KindName],
  Expected
>

/** A notice, with what it says. */
export type NoticeOf<N extends Names> = Where<
  N,
  {
    [X in keyof N['notices'] & string]: Omit<Heard, 'name' | 'with'> & { name: X; with: N['notices'][X] }
  }[keyof N['notices'] & string],
  Heard
>

export interface OptionsOf<N extends Names> extends Omit<Options, 'onChange' | 'onNotice'> {
  onChange?: (changes: Change[], copy: Where<N, CopyOf<N>, Copy>) => void
  onNotice?: (notice: NoticeOf<N>) => void
}

/** A frame of a rulebook's match. */
export interface FrameOf<N extends Names> extends Omit<Frame, 'place'> {
  place(sheet: SheetOf<N> | undefined): Place
}

type Replaced = 'copy' | 'me' | 'watch' | 'send' | 'do' | 'wait' | 'clock' | 'place' | 'frame' | 'options'

/** A connection on which names are checked. */
interface CheckedConnection<N extends Names> extends Omit<Live, Replaced> {
  readonly options: OptionsOf<N>
  readonly copy?: CopyOf<N>
  readonly me: SheetOf<N, 'player'> | undefined
  watch<K extends KindName, F extends Field<N, K>>(on: OnOf<K, F>, f: (change: ChangeOf<N, K, F>) => void): () => void
  send(intent: IntentOf<N>, ...expected: ExpectedOf<N>[]): Promise<Verdict>
  do(intent: IntentOf<N>, ...expected: ExpectedOf<N>[]): Promise<Verdict>
  wait(holds: (copy: CopyOf<N>) => unknown, signal?: AbortSignal): Promise<void>
  clock<K extends KindName>(sheet: SheetOf<N, K> | undefined, name: Holding<N, K, number[]>): number
  place(sheet: SheetOf<N> | undefined, tick: number): Place
  frame(): FrameOf<N>
}

/** A live connection for a rulebook: see Connection. */
export type ConnectionOf<N extends Names> = Where<N, CheckedConnection<N>, Live>
