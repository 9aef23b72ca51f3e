import { ChakraProvider, createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'
import { createContext, useContext, useEffect, useState, type ReactNode } from 'react'

const config = defineConfig({
  globalCss: {
    html: { colorPalette: 'teal' },
    'html, body': { bg: 'bg.subtle', color: 'fg' },
    body: { fontFeatureSettings: '"tnum", "cv05"', fontSize: 'sm' },
    ':focus-visible': { outlineWidth: '2px', outlineColor: 'teal.focusRing', outlineOffset: '2px' },
  },
  theme: {
    tokens: {
      fonts: {
        heading: { value: '"Inter Variable", sans-serif' },
        body: { value: '"Inter Variable", sans-serif' },
        mono: { value: 'ui-monospace, "Cascadia Mono", "DejaVu Sans Mono", Menlo, monospace' },
      },
    },
    semanticTokens: {
      colors: {
        // white on it keeps a contrast of 4.5
        teal: { solid: { value: { _light: '{colors.teal.700}', _dark: '{colors.teal.700}' } } },
        fg: {
          // quiet text keeps a contrast of 4.5 on every ground (WCAG 2.2, 1.4.3)
          muted: { value: { _light: '{colors.gray.600}', _dark: '{colors.gray.400}' } },
          subtle: { value: { _light: '{colors.gray.600}', _dark: '{colors.gray.400}' } },
        },
      },
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
