/** What a text can be asked of. */
export const TO = ['case', 'typed', 'kept', 'several', 'talk'] as const
export type To = (typeof TO)[number]
