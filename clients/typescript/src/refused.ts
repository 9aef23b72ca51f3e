/** What the service refused (RFC 9457), or why there is no answer. */
export class Refused extends Error {
  constructor(
    /** Stable: docs/errors.md lists all. no-answer: the service could not be reached, or was silent for too long. */
    readonly code: string,
    reason: string,
    /** The HTTP status; 0 without an answer. */
    readonly status = 0,
    /** Seconds after which it is worth trying again, if the service said so. */
    readonly after?: number,
  ) {
    super(reason)
    this.name = 'Refused'
  }
}
