import { lazy, Suspense } from 'react'
import { Route, Routes } from 'react-router'
import { Empty, Waiting } from './parts/controls'
import { TopBar } from './parts/TopBar'
import { useLiveRefresh } from './parts/useLiveRefresh'
import { BriefFrame } from './stages/BriefFrame'

const DeskPage = lazy(async () => ({ default: (await import('./desk/DeskPage')).DeskPage }))
const DraftStage = lazy(async () => ({
  default: (await import('./stages/draft/DraftStage')).DraftStage,
}))
const BriefStage = lazy(async () => ({
  default: (await import('./stages/brief/BriefStage')).BriefStage,
}))
const CasesStage = lazy(async () => ({
  default: (await import('./stages/cases/CasesStage')).CasesStage,
}))
const TrialsStage = lazy(async () => ({
  default: (await import('./stages/trials/TrialsStage')).TrialsStage,
}))
const PlanStage = lazy(async () => ({
  default: (await import('./stages/trials/PlanStage')).PlanStage,
}))
const TwinsStage = lazy(async () => ({
  default: (await import('./stages/trials/twins/TwinsStage')).TwinsStage,
}))
const TrialList = lazy(async () => ({
  default: (await import('./stages/trials/TrialList')).TrialList,
}))
const ReviewStage = lazy(async () => ({
  default: (await import('./stages/review/ReviewStage')).ReviewStage,
}))
const VerdictStage = lazy(async () => ({
  default: (await import('./stages/verdict/VerdictStage')).VerdictStage,
}))
const ModelsPage = lazy(async () => ({ default: (await import('./models/ModelsPage')).ModelsPage }))
const ShelfPage = lazy(async () => ({ default: (await import('./shelf/ShelfPage')).ShelfPage }))
const HelpPage = lazy(async () => ({ default: (await import('./help/HelpPage')).HelpPage }))
const LedgerPage = lazy(async () => ({ default: (await import('./ledger/LedgerPage')).LedgerPage }))

export function App() {
  useLiveRefresh()
  return (
    <div className="flex h-dvh flex-col">
      <TopBar />
      <Suspense
        fallback={
          <main className="px-6">
            <Waiting what="the page" />
          </main>
        }
      >
        <Routes>
          <Route path="/" element={<DeskPage />} />
          <Route path="/models" element={<ModelsPage />} />
          <Route path="/shelf" element={<ShelfPage />} />
          <Route path="/ledger" element={<LedgerPage />} />
          <Route path="/help" element={<HelpPage />} />
          <Route path="/help/:chapter" element={<HelpPage />} />
          <Route path="/briefs/:briefId" element={<BriefFrame />}>
            <Route path="brief" element={<BriefStage />} />
            <Route path="draft" element={<DraftStage />} />
            <Route path="cases" element={<CasesStage />} />
            <Route path="trials" element={<TrialsStage />} />
            <Route path="trials/plan" element={<PlanStage />} />
            <Route path="trials/twins" element={<TwinsStage />} />
            <Route path="trials/list" element={<TrialList />} />
            <Route path="trials/:trialId" element={<TrialsStage />} />
            <Route path="review" element={<ReviewStage />} />
            <Route path="verdict" element={<VerdictStage />} />
            <Route index element={<DraftStage />} />
          </Route>
          <Route
            path="*"
            element={
              <main className="px-16">
                <Empty title="There is nothing at this address.">
                  <a className="text-action underline" href="/">
                    Back to the desk
                  </a>
                </Empty>
              </main>
            }
          />
        </Routes>
      </Suspense>
    </div>
  )
}
