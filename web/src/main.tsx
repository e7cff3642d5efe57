import '@fontsource/ibm-plex-mono/latin-400.css'
import '@fontsource/ibm-plex-sans/latin-400.css'
import '@fontsource/ibm-plex-sans/latin-600.css'
import '@fontsource/source-serif-4/latin-400.css'
import '@fontsource/source-serif-4/latin-600.css'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import './index.css'
import { App } from './App'
import { Problem } from './api/client'
import { applyTheme, storedTheme } from './parts/theme'

applyTheme(storedTheme())

const cache = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // What the server refuses it will refuse again; only a lost connection is worth another try.
      retry: (failures, error) => !(error instanceof Problem) && failures < 3,
      refetchOnWindowFocus: false,
    },
  },
})

const root = document.getElementById('root')
if (!root) throw new Error('the page has no #root')
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={cache}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
