import { useEffect } from 'react'

/** What the browser's tab is called while this shows. */
export function useTitle(words: string | null): void {
  useEffect(() => {
    document.title = words ? `${words} · Nomikon` : 'Nomikon'
    return () => {
      document.title = 'Nomikon'
    }
  }, [words])
}
