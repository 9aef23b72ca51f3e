// The result of a match, as the routes and the topic of results give it.
export interface MatchRow {
  id: string
  lobby: string
  ended: string
  result: Result
}

export interface Result {
  match: number
  rulebook: string
  version?: string
  because: string
  practice?: boolean
  millis: number
  lasted?: number
  arena?: string
  rounds?: number
  clocks?: string[]
  teams?: {
    team: string
    title: string
    outcome: string
    place: number
    rounds?: number
    fields?: Record<string, unknown>
  }[]
  players: {
    player: string
    name: string
    team?: string
    outcome: string
    place: number
    stand_in?: boolean
    fields?: Record<string, unknown>
  }[]
}
