import type { Schemas } from '@/api/client'

type Connection = Schemas['ConnectionShape']
type Model = Schemas['ModelShape']

/** What is open beside the list of connections. */
export type Opened =
  | { kind: 'connection'; of: Connection | null }
  | { kind: 'model'; at: Connection; of: Model | null }
  | { kind: 'offered'; at: Connection }
  | { kind: 'test'; of: Model }
