/** The one ramp of scores, straw to deep teal, with the text colour that reads on each step. */
const STEPS = [
  ['#F3E3BC', '#1D2733'],
  ['#DDD9AC', '#1D2733'],
  ['#B5CCA4', '#1D2733'],
  ['#8CB99E', '#1D2733'],
  ['#62A79B', '#1D2733'],
  ['#2E7885', '#FFFEFB'],
  ['#1C6076', '#FFFEFB'],
  ['#134B64', '#FFFEFB'],
] as const

export function rampColours(step: number): { background: string; color: string } {
  const [background, color] = STEPS[Math.min(7, Math.max(0, step))] ?? STEPS[0]
  return { background, color }
}

export const RAMP = STEPS.map(([background]) => background)
