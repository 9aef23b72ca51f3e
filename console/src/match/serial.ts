const numbers = new WeakMap<object, number>()
let last = 0

/** A thing's own number, for React's keys: where it stands in a list that slides is another place each time. */
export function serial(of: object): number {
  const no = numbers.get(of) ?? ++last
  numbers.set(of, no)
  return no
}
