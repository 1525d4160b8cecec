/** Where the score's parts lie, px. */
export const left = 132
export const right = 18
export const rows = { keys: 16, phases: 50, front: 98, rear: 130, flights: 152, axis: 186 }

export const ms = (s: number) => (1000 * s).toFixed(0)

export const col = (c: string) => `var(--chakra-colors-${c})`
