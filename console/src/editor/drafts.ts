// What was written in the editor and is neither published nor discarded. It stays in this browser.

const key = (name: string) => `draft ${name}`

/** The draft of a rulebook, if there is one. */
export const draftOf = (name: string): string | undefined => localStorage.getItem(key(name)) ?? undefined

/** Keeps a draft; undefined discards it. A text that the browser has no room for is not kept. */
export function keepDraft(name: string, text?: string) {
  try {
    if (text === undefined) localStorage.removeItem(key(name))
    else localStorage.setItem(key(name), text)
  } catch {
    // it stays in the page
  }
}
