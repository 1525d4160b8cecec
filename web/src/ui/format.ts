import type { Judged } from './client'

const digits: Record<string, number> = { deg: 1, s: 3, m: 2, '%': 0, 'm/s': 2 }
const signs: Record<string, string> = { deg: '°', s: ' s', m: ' m', '%': ' %', 'm/s': ' m/s' }

/** A number in its unit, as in "104.2°". */
export const inUnit = (v: number, unit: string) =>
  v.toFixed(digits[unit] ?? 2).replace('-', '−') + (signs[unit] ?? ` ${unit}`)

/** The ± that verdicts use: two standard uncertainties. */
export const plusMinus = (u: number, unit: string) => `± ${(2 * u).toFixed(digits[unit] ?? 2)}`

export const known = (v: Judged) => v.missing.length === 0

export const seconds = (t: number) => `${t < 0 ? '−' : ''}${Math.abs(t).toFixed(3)} s`

const months = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
]

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

/** "12 MB" of a number of bytes. */
export const size = (bytes: number) =>
  bytes >= 1e9
    ? `${(bytes / 1e9).toFixed(2)} GB`
    : bytes >= 1e6
      ? `${(bytes / 1e6).toFixed(1)} MB`
      : `${Math.ceil(bytes / 1e3)} kB`

const count = (n: number, one: string, more = one + 's') => `${n} ${n === 1 ? one : more}`

/** What hangs on an athlete or an account, in words. */
export const hangs = (h: {
  athletes: number
  attempts: number
  clips: number
  assignments: number
  bytes: number
}) =>
  [
    h.athletes > 0 && count(h.athletes, 'athlete'),
    count(h.attempts, 'attempt'),
    `${count(h.clips, 'clip')} of ${size(h.bytes)}`,
    count(h.assignments, 'assignment'),
  ]
    .filter(Boolean)
    .join(', ')

/** A sentence's first letter as a capital. */
export const upper = (s: string) => s.charAt(0).toUpperCase() + s.slice(1)

/** From where a camera sees. */
export const viewNames: Record<string, string> = {
  'side-open': 'side, open',
  'side-closed': 'side, closed',
  back: 'from behind',
  front: 'from the front',
  overhead: 'from above',
  oblique: 'slantwise',
  'bar-line': 'along the bar',
}
