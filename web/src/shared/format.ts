import type { Judged } from './client'

const digits: Record<string, number> = { deg: 1, s: 3, m: 2, '%': 0, 'm/s': 2 }
const signs: Record<string, string> = { deg: '°', s: ' s', m: ' m', '%': ' %', 'm/s': ' m/s' }

/** A number in its unit, as in "104.2°". */
export const inUnit = (v: number, unit: string) => v.toFixed(digits[unit] ?? 2).replace('-', '−') + (signs[unit] ?? ` ${unit}`)

/** The ± that verdicts use: two standard uncertainties. */
export const plusMinus = (u: number, unit: string) => `± ${(2 * u).toFixed(digits[unit] ?? 2)}`

export const known = (v: Judged) => v.missing.length === 0

export const seconds = (t: number) => `${t < 0 ? '−' : ''}${Math.abs(t).toFixed(3)} s`

const months = ['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December']

/** "14 May 2026" of "2026-05-14". */
export const longDay = (iso: string) => {
  const [y, m, d] = iso.split('-').map(Number)
  return `${d} ${months[m - 1]} ${y}`
}

/** "left knee" of "knee.L". */
export const spoken = (landmark: string) => {
  const [part, side] = landmark.split('.')
  return side ? `${side === 'L' ? 'left' : 'right'} ${part}` : part
}
