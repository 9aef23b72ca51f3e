// The keys of up to four seats on one keyboard.

export interface Keys {
  up: string
  left: string
  down: string
  right: string
  /** On tall ground: up or a jump, and down. */
  rise: string
  sink: string
  riseName: string
  acts: string[]
  actNames: string[]
  next: string
  nextName: string
  /** For people. */
  moves: string
}

const letters = (list: string) => ({ acts: [...list].map((l) => `Key${l}`), actNames: [...list] })
const pads = (list: string) => ({
  acts: [...list].map((n) => `Numpad${n}`),
  actNames: [...list].map((n) => `Num ${n}`),
})
const digits = (list: string) => ({ acts: [...list].map((n) => `Digit${n}`), actNames: [...list] })

export const keysOf: Keys[] = [
  {
    up: 'KeyW',
    left: 'KeyA',
    down: 'KeyS',
    right: 'KeyD',
    rise: 'Space',
    sink: 'KeyG',
    riseName: 'Space',
    ...letters('QERFCXZV'),
    next: 'KeyT',
    nextName: 'T',
    moves: 'W A S D',
  },
  {
    up: 'ArrowUp',
    left: 'ArrowLeft',
    down: 'ArrowDown',
    right: 'ArrowRight',
    rise: 'ShiftRight',
    sink: 'Slash',
    riseName: 'Shift',
    ...letters('UIOPJKLM'),
    next: 'KeyY',
    nextName: 'Y',
    moves: 'the arrow keys',
  },
  {
    up: 'Numpad8',
    left: 'Numpad4',
    down: 'Numpad5',
    right: 'Numpad6',
    rise: 'NumpadAdd',
    sink: 'NumpadSubtract',
    riseName: 'Num +',
    ...pads('79130'),
    next: 'NumpadDecimal',
    nextName: 'Num .',
    moves: 'Num 8 4 5 6',
  },
  {
    up: '',
    left: '',
    down: '',
    right: '',
    rise: '',
    sink: '',
    riseName: '',
    ...digits('12345678'),
    next: 'Digit9',
    nextName: '9',
    moves: 'buttons',
  },
]
