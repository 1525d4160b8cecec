/** Days of the calendar, as in "2026-05-21". */
export const iso = (d: Date) =>
  `${d.getFullYear()}-${String(d.getMonth() + 1).padStart(2, '0')}-${String(d.getDate()).padStart(2, '0')}`

export const of = (day: string) => {
  const [y, m, d] = day.split('-').map(Number)
  return new Date(y, m - 1, d)
}

export const plus = (day: string, n: number) => {
  const d = of(day)
  d.setDate(d.getDate() + n)
  return iso(d)
}

/** The Monday of a day's week. */
export const monday = (day: string) => plus(day, -((of(day).getDay() + 6) % 7))
