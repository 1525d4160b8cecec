import { Box, Field, Flex, NativeSelect, Text, Textarea } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { Act, Pills } from '../../shared/Act'
import type { Clip } from '../../shared/client'
import { passes, type Desk } from '../desk'
import { Hint, Section } from './Panel'

/** First impressions, before any number; and what has to be said of the film. */
export function Watch({ desk, clip, pass, onRemove }: { desk: Desk; clip: Clip; pass: number; onRemove: () => void }) {
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
      <Section title="The film">
        <Rate desk={desk} clip={clip} />
        <Field.Root mt="8px">
          <Field.Label fontSize="12.5px" color="soft">The camera sees</Field.Label>
          <NativeSelect.Root size="sm">
            <NativeSelect.Field aria-label="View" bg="paper" borderColor="hair" h="40px" value={clip.view}
              onChange={(e) => desk.send({ kind: 'view', view: e.currentTarget.value, rightward: clip.rightward })}>
              <option value="side-open">the front-block leg's side (side-open)</option>
              <option value="side-closed">the rear-block leg's side (side-closed)</option>
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Field.Root>
        <Flex align="center" gap="8px" mt="8px" wrap="wrap">
          <Text fontSize="12.5px" color="soft">Runs to the</Text>
          <Pills label="Direction of travel" options={[['right', 'right'], ['left', 'left']]} value={clip.rightward ? 'right' : 'left'}
            onPick={(d) => desk.send({ kind: 'view', view: clip.view, rightward: d === 'right' })} />
        </Flex>
        <Flex mt="12px" align="center" gap="10px" fontSize="12.5px" color="soft" wrap="wrap">
          <Text flex="1" minW="120px" truncate title={clip.name}>{clip.name}</Text>
          <a href={`/api/clips/${clip.id}/original`} download style={{ textDecoration: 'underline' }}>original</a>
          <Remove onRemove={onRemove} />
        </Flex>
      </Section>
    </>
  )
}

function Remove({ onRemove }: { onRemove: () => void }) {
  const [asked, setAsked] = useState(false)
  if (!asked) return <button style={{ textDecoration: 'underline', cursor: 'pointer' }} onClick={() => setAsked(true)}>another clip…</button>
  return (
    <Box w="100%" p="10px" borderWidth="1px" borderColor="plum" borderRadius="8px">
      <Text mb="6px" color="ink">Taking this clip off also takes its stamps and landmarks. This cannot be undone.</Text>
      <Flex gap="8px"><Act h="36px" onClick={onRemove}>Take it off</Act><Act h="36px" main onClick={() => setAsked(false)}>Keep it</Act></Flex>
    </Box>
  )
}

const usual = ['30', '60', '120', '240', '480'] as const

function Rate({ desk, clip }: { desk: Desk; clip: Clip }) {
  const [own, setOwn] = useState('')
  const [changing, setChanging] = useState(false)
  const set = (r: number) => {
    desk.send({ kind: 'rate', rate: r })
    setChanging(false)
  }
  const unknown = clip.captureRate === 0
  const slow = clip.captureRate > 0 && clip.captureRate < desk.event.rate
  if (!unknown && !changing) {
    return (
      <>
        <Text>Filmed at <b>{clip.captureRate.toFixed(clip.captureRate % 1 ? 2 : 0)} pictures/s</b>{' '}
          {{ tag: 'from its tag', file: 'as the file says', chosen: 'chosen by you', unknown: '' }[clip.rateSource]}.{' '}
          <button style={{ textDecoration: 'underline', cursor: 'pointer' }} onClick={() => setChanging(true)}>change</button>
        </Text>
        {slow && <Hint>This event asks for {desk.event.rate} or more: short times will often be “can't tell”. Next time, use the phone's slow motion.</Hint>}
        {clip.width < 1280 && <Hint>The film is {clip.width} × {clip.height}. Filming at 1280 × 720 or more makes the ± smaller.</Hint>}
      </>
    )
  }
  return (
    <Box p="10px" borderWidth="1px" borderColor={unknown ? 'plum' : 'hair'} borderRadius="8px">
      <Text fontWeight="600" mb="6px">At how many pictures a second was this filmed?</Text>
      <Pills label="Capture rate" options={usual.map((r) => [r, r])} value={usual.find((r) => Number(r) === clip.captureRate)} onPick={(r) => set(Number(r))} />
      <Flex as="form" mt="8px" gap="6px" onSubmit={(e) => { e.preventDefault(); if (Number(own) > 0) set(Number(own)) }}>
        <input aria-label="Another capture rate" placeholder="another" inputMode="decimal" value={own} onChange={(e) => setOwn(e.target.value.replace(',', '.'))}
          style={{ width: 90, padding: '0 8px', borderRadius: 8, border: '1px solid var(--chakra-colors-hair)', background: 'var(--chakra-colors-paper)' }} />
        <Act h="36px" type="submit">Use it</Act>
      </Flex>
      <Hint>Slowed films play at 30 but were filmed faster: the phone's slow-motion setting says how fast.</Hint>
    </Box>
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
