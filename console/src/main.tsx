import '@fontsource-variable/inter'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Route, Routes } from 'react-router'
import { Frame } from './Frame.tsx'
import { Theme } from './theme.tsx'
import { Boards } from './pages/Boards.tsx'
import { Lobbies } from './pages/Lobbies.tsx'
import { LobbyPage } from './pages/LobbyPage.tsx'
import { Missing } from './pages/Missing.tsx'
import { Results } from './pages/Results.tsx'
import { Rulebooks } from './pages/Rulebooks.tsx'

const root = document.getElementById('root')
if (!root) throw new Error('the page has no place for the console')
createRoot(root).render(
  <Theme>
    <BrowserRouter>
      <Routes>
        <Route element={<Frame />}>
          <Route index element={<Lobbies />} />
          <Route path="lobby/:code" element={<LobbyPage />} />
          <Route path="results" element={<Results />} />
          <Route path="boards" element={<Boards />} />
          <Route path="boards/:rulebook/:board" element={<Boards />} />
          <Route path="rulebooks" element={<Rulebooks />} />
          <Route path="*" element={<Missing />} />
        </Route>
      </Routes>
    </BrowserRouter>
  </Theme>,
)
