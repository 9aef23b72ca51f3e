import { ChakraProvider, createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'
import { createContext, useContext, useEffect, useState, type ReactNode } from 'react'

const config = defineConfig({
  globalCss: { 'html, body': { bg: 'bg.subtle' }, body: { fontFeatureSettings: '"tnum"' } },
  theme: {
    tokens: {
      fonts: { heading: { value: '"Inter Variable", sans-serif' }, body: { value: '"Inter Variable", sans-serif' } },
    },
  },
})
const system = createSystem(defaultConfig, config)

type Mode = 'light' | 'dark'
const ModeContext = createContext<{ mode: Mode; flip: () => void }>({ mode: 'light', flip: () => {} })
export const useMode = () => useContext(ModeContext)

function firstMode(): Mode {
  const kept = localStorage.getItem('mode')
  if (kept === 'light' || kept === 'dark') return kept
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'
}

/** Components, fonts and the colour mode, which is a class on the html element. */
export function Theme({ children }: { children: ReactNode }) {
  const [mode, setMode] = useState<Mode>(firstMode)
  useEffect(() => {
    document.documentElement.className = mode
    document.documentElement.style.colorScheme = mode
  }, [mode])
  const flip = () => {
    const other = mode === 'dark' ? 'light' : 'dark'
    localStorage.setItem('mode', other)
    setMode(other)
  }
  return (
    <ModeContext.Provider value={{ mode, flip }}>
      <ChakraProvider value={system}>{children}</ChakraProvider>
    </ModeContext.Provider>
  )
}

/** The colours of teams, by their place in the rulebook; 0 is nobody's. */
export const teamColours = ['gray', 'orange', 'teal', 'purple', 'blue', 'pink', 'cyan', 'yellow', 'red'] as const
