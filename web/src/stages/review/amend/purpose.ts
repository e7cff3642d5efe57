import type { Role } from '@/parts/consult/useConsultation'

/** What proposals are asked for. */
export type Purpose = Extract<Role, 'amendments' | 'shorter' | 'adapt'>
