import { ChakraProvider } from '@chakra-ui/react'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { Suspense, lazy } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'
import '@fontsource/barlow-semi-condensed/400.css'
import '@fontsource/barlow-semi-condensed/500.css'
import '@fontsource/barlow-semi-condensed/600.css'
import '@fontsource/barlow-semi-condensed/700.css'
import '@fontsource/roboto-condensed/400.css'
import '@fontsource/roboto-condensed/700.css'
import { SignIn, Welcome } from './sign-in/SignIn'
import { ErrorBoundary } from './ui/ErrorBoundary'
import { useSession } from './ui/session'
import './ui/mode'
import { system } from './ui/theme'
import { Today } from './today/Today'

const AthletePage = lazy(() => import('./athletes/AthletePage').then((m) => ({ default: m.AthletePage })))
const AthletesPage = lazy(() => import('./athletes/AthletesPage').then((m) => ({ default: m.AthletesPage })))
const BenchPage = lazy(() => import('./bench/BenchPage').then((m) => ({ default: m.BenchPage })))
const CalendarPage = lazy(() => import('./calendar/CalendarPage').then((m) => ({ default: m.CalendarPage })))
const ContactSheetPage = lazy(() =>
  import('./bench/ContactSheetPage').then((m) => ({ default: m.ContactSheetPage })),
)
const EyePage = lazy(() => import('./sim/EyePage').then((m) => ({ default: m.EyePage })))
const LogPage = lazy(() => import('./log/LogPage').then((m) => ({ default: m.LogPage })))
const PlaybookPage = lazy(() => import('./playbook/PlaybookPage').then((m) => ({ default: m.PlaybookPage })))
const ReportPage = lazy(() => import('./report/ReportPage').then((m) => ({ default: m.ReportPage })))
const Settings = lazy(() => import('./settings/Settings').then((m) => ({ default: m.Settings })))
const SimPage = lazy(() => import('./sim/SimPage').then((m) => ({ default: m.SimPage })))

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } })

function App() {
  const session = useSession()
  const who = session.data
  if (!who) return null
  if (!who.name) {
    return (
      <Routes>
        <Route path="/welcome" element={<Welcome />} />
        <Route path="*" element={<SignIn state={who} />} />
      </Routes>
    )
  }
  return (
    <Suspense>
      <Routes>
        <Route path="/" element={<Today who={who} />} />
        <Route path="/athletes" element={<AthletesPage />} />
        <Route path="/athletes/:id" element={<AthletePage />} />
        <Route path="/log/:id?" element={<LogPage />} />
        <Route path="/calendar" element={<CalendarPage who={who} />} />
        <Route path="/playbook/:event?" element={<PlaybookPage />} />
        <Route path="/eye" element={<EyePage />} />
        <Route path="/sim" element={<SimPage />} />
        <Route path="/settings" element={<Settings who={who} />} />
        <Route path="/report/:kind/:id" element={<ReportPage />} />
        <Route path="/attempts/:id" element={<Navigate to="watch" replace />} />
        <Route path="/attempts/:id/sheet" element={<ContactSheetPage />} />
        <Route path="/attempts/:id/:stage" element={<BenchPage />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </Suspense>
  )
}

if ('serviceWorker' in navigator && import.meta.env.PROD)
  void navigator.serviceWorker.register('/sw.js').catch(() => undefined) // without it the log needs the server to open

createRoot(document.getElementById('root')!).render(
  <ChakraProvider value={system}>
    <QueryClientProvider client={queries}>
      <ErrorBoundary>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </ErrorBoundary>
    </QueryClientProvider>
  </ChakraProvider>,
)
