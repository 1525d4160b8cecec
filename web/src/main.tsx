import { ChakraProvider } from '@chakra-ui/react'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { Component, Suspense, lazy, type ReactNode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'
import '@fontsource/barlow-semi-condensed/400.css'
import '@fontsource/barlow-semi-condensed/500.css'
import '@fontsource/barlow-semi-condensed/600.css'
import '@fontsource/barlow-semi-condensed/700.css'
import '@fontsource/roboto-condensed/400.css'
import '@fontsource/roboto-condensed/700.css'
import { BenchPage } from './bench/BenchPage'
import { ContactSheetPage } from './bench/ContactSheetPage'
import { Welcome, SignIn } from './sign-in/SignIn'
import { Settings } from './settings/Settings'
import './ui/mode'
import { system } from './ui/theme'
import { Today } from './today/Today'
import { useSession } from './ui/session'

const SimPage = lazy(() => import('./sim/SimPage').then((m) => ({ default: m.SimPage })))
const PlaybookPage = lazy(() => import('./playbook/PlaybookPage').then((m) => ({ default: m.PlaybookPage })))
const AthletePage = lazy(() => import('./athletes/AthletePage').then((m) => ({ default: m.AthletePage })))
const LogPage = lazy(() => import('./log/LogPage').then((m) => ({ default: m.LogPage })))
const CalendarPage = lazy(() => import('./calendar/CalendarPage').then((m) => ({ default: m.CalendarPage })))
const ReportPage = lazy(() => import('./report/ReportPage').then((m) => ({ default: m.ReportPage })))
const EyePage = lazy(() => import('./sim/EyePage').then((m) => ({ default: m.EyePage })))

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } })

/** Shows a sentence where a page broke, instead of nothing. */
class Net extends Component<{ children: ReactNode }, { broken?: Error }> {
  state: { broken?: Error } = {}
  static getDerivedStateFromError(broken: Error) {
    return { broken }
  }
  render() {
    if (!this.state.broken) return this.props.children
    return (
      <div role="alert" style={{ padding: 32 }}>
        <p>
          <b>This page broke.</b> What was saved is safe on the server. ({this.state.broken.message})
        </p>
        <p>
          <a href={location.href} style={{ textDecoration: 'underline' }}>
            Open it again
          </a>
        </p>
      </div>
    )
  }
}

function App() {
  const door = useSession()
  if (!door.data) return null
  if (!door.data.name) {
    return (
      <Routes>
        <Route path="/welcome" element={<Welcome />} />
        <Route path="*" element={<SignIn state={door.data} />} />
      </Routes>
    )
  }
  return (
    <Routes>
      <Route path="/" element={<Today who={door.data} />} />
      <Route path="/settings" element={<Settings who={door.data} />} />
      <Route
        path="/sim"
        element={
          <Suspense>
            <SimPage who={door.data} />
          </Suspense>
        }
      />
      <Route
        path="/eye"
        element={
          <Suspense>
            <EyePage who={door.data} />
          </Suspense>
        }
      />
      <Route
        path="/playbook/:event?"
        element={
          <Suspense>
            <PlaybookPage who={door.data} />
          </Suspense>
        }
      />
      <Route
        path="/athletes/:id"
        element={
          <Suspense>
            <AthletePage />
          </Suspense>
        }
      />
      <Route
        path="/log/:id?"
        element={
          <Suspense>
            <LogPage />
          </Suspense>
        }
      />
      <Route
        path="/calendar"
        element={
          <Suspense>
            <CalendarPage who={door.data} />
          </Suspense>
        }
      />
      <Route
        path="/report/:kind/:id"
        element={
          <Suspense>
            <ReportPage />
          </Suspense>
        }
      />
      <Route path="/attempts/:id" element={<Navigate to="watch" replace />} />
      <Route path="/attempts/:id/sheet" element={<ContactSheetPage />} />
      <Route path="/attempts/:id/:stage" element={<BenchPage />} />
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  )
}

if ('serviceWorker' in navigator && import.meta.env.PROD)
  void navigator.serviceWorker.register('/sw.js').catch(() => undefined) // without it the log needs the server to open

createRoot(document.getElementById('root')!).render(
  <ChakraProvider value={system}>
    <QueryClientProvider client={queries}>
      <Net>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </Net>
    </QueryClientProvider>
  </ChakraProvider>,
)
