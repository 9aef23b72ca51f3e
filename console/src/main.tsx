import '@fontsource-variable/inter'
import { QueryClientProvider } from '@tanstack/react-query'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Route, Routes } from 'react-router'
import { queries } from './app/calls.ts'
import { Frame } from './app/Frame.tsx'
import { part } from './app/part.tsx'
import { start } from './app/session.ts'
import { Theme } from './app/theme.tsx'

const Home = part(() => import('./pages/Home.tsx'))
const Lobbies = part(() => import('./pages/Lobbies.tsx'))
const Lobby = part(() => import('./pages/Lobby.tsx'))
const Back = part(() => import('./pages/Back.tsx'))
const Play = part(() => import('./pages/Play.tsx'))
const Results = part(() => import('./pages/Results.tsx'))
const Boards = part(() => import('./pages/Boards.tsx'))
const Players = part(() => import('./pages/Players.tsx'))
const Rulebooks = part(() => import('./pages/Rulebooks.tsx'))
const Rulebook = part(() => import('./pages/Rulebook.tsx'))
const Operations = part(() => import('./pages/Operations.tsx'))
const Docs = part(() => import('./pages/Docs.tsx'))
const Missing = part(() => import('./pages/Missing.tsx'))

const root = document.getElementById('root')
if (!root) throw new Error('the page has no place for the console')
void start()
createRoot(root).render(
  <Theme>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Routes>
          <Route element={<Frame />}>
            <Route index element={<Home />} />
            <Route path="lobbies" element={<Lobbies />} />
            <Route path="lobby/:code" element={<Lobby />} />
            <Route path="lobby/:code/back" element={<Back />} />
            <Route path="play" element={<Play />} />
            <Route path="play/:code" element={<Play />} />
            <Route path="results" element={<Results />} />
            <Route path="results/:id" element={<Results />} />
            <Route path="boards" element={<Boards />} />
            <Route path="boards/:rulebook/:board" element={<Boards />} />
            <Route path="players" element={<Players />} />
            <Route path="players/:id" element={<Players />} />
            <Route path="rulebooks" element={<Rulebooks />} />
            <Route path="rulebooks/:name" element={<Rulebook />} />
            <Route path="operations" element={<Operations />} />
            <Route path="docs" element={<Docs />} />
            <Route path="docs/:page" element={<Docs />} />
            <Route path="*" element={<Missing />} />
          </Route>
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  </Theme>,
)
