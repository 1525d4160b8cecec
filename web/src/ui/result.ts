import type { Schemas } from './client'

/** A mark as it is shown: the distance, and how it was lost. */
export function resultText(m?: Schemas['Result']) {
  if (!m) return ''
  return m.foul ? `✕ ${m.foul}${m.text && `, ${m.text}`}` : m.text
}
