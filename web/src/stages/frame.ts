import { useOutletContext } from 'react-router'
import type { Schemas } from '@/api/client'

export type Brief = Schemas['BriefDetail']
export type Frame = {
  brief: Brief
  inHand: number | null
  setInHand: (n: number) => void
  /** The version set beside the one in hand. */
  beside: number | null
}

/** The brief a stage belongs to, and the version in hand. */
export function useFrame(): Frame {
  return useOutletContext<Frame>()
}
