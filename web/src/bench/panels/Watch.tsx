import { Box, Textarea } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { passes, type Desk } from '../desk'
import { Section } from './Panel'

/** First impressions, before any number. */
export function Watch({ desk, pass, children }: { desk: Desk; pass: number; children: React.ReactNode }) {
  const look = desk.event.watch[pass]
  return (
    <>
      <Section title={`${look.name}:`} aside={passes[pass]?.says}>
        <Box as="ul" pl="16px" listStyleType="disc">{look.look.map((l) => <li key={l}>{l}</li>)}</Box>
      </Section>
      <Section title="First impression">
        <Note desk={desk} kind="first" label="First impression" placeholder="What strikes you, before any number?" />
      </Section>
      <Section title="Already good">
        <Note desk={desk} kind="good" label="Already good" placeholder="Goes to the top of the athlete's card." />
      </Section>
      {children}
    </>
  )
}

function Note({ desk, kind, label, placeholder }: { desk: Desk; kind: string; label: string; placeholder: string }) {
  const kept = desk.bench.notes[kind] ?? ''
  const [words, setWords] = useState(kept)
  useEffect(() => setWords(kept), [kept])
  const keep = () => words.trim() !== kept && desk.send({ kind: 'note', note: kind, words: words.trim() })
  return (
    <Textarea aria-label={label} placeholder={placeholder} rows={2} bg="paper" borderColor="hair" fontSize="14px" p="8px" value={words} onChange={(e) => setWords(e.target.value)} onBlur={keep} />
  )
}
