import { Box, Flex, Textarea, chakra } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { Button } from '../../ui/Button'
import { passes, type BenchContext } from '../benchModel'
import { Hint, Section } from '../../ui/Panel'

/** First impressions, before any number. */
export function Watch({
  context,
  pass,
  mirror,
  onMirror,
  children,
}: {
  context: BenchContext
  pass: number
  mirror: boolean
  onMirror: () => void
  children: React.ReactNode
}) {
  const look = context.event.watch[pass]
  const off = context.event.looks.map((l) => l.off),
    good = context.event.looks.map((l) => l.text)
  return (
    <>
      <Section title={`${look.name}:`} aside={passes[pass]?.says}>
        <Box as="ul" pl="16px" listStyleType="disc">
          {look.look.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </Box>
        <Flex gap="6px" mt="6px" wrap="wrap" align="center">
          <Button h="32px" px="10px" aria-pressed={mirror} onClick={onMirror}>
            {mirror ? 'As filmed · M' : 'In a mirror · M'}
          </Button>
          <Link
            to={`/attempts/${context.bench.id}/sheet`}
            style={{ textDecoration: 'underline', lineHeight: '32px' }}
          >
            choose among clips
          </Link>
          <a
            href={`/api/playbook/${context.bench.event}/filming.pdf`}
            target="_blank"
            rel="noreferrer"
            style={{ textDecoration: 'underline', lineHeight: '32px' }}
          >
            filming card
          </a>
        </Flex>
      </Section>
      <Section title="First impression">
        <Note
          context={context}
          kind="first"
          label="First impression"
          placeholder="What strikes you, before any number?"
          chips={off.length ? off : context.event.watch.flatMap((w) => w.look)}
        />
      </Section>
      <Section title="Already good">
        <Note
          context={context}
          kind="good"
          label="Already good"
          placeholder="Goes to the top of the athlete's card."
          chips={good}
        />
      </Section>
      {children}
    </>
  )
}

function Note({
  context,
  kind,
  label,
  placeholder,
  chips,
}: {
  context: BenchContext
  kind: 'first' | 'good'
  label: string
  placeholder: string
  chips: string[]
}) {
  const kept = context.bench.notes[kind] ?? ''
  const [words, setWords] = useState(kept)
  const [open, setOpen] = useState(false)
  useEffect(() => setWords(kept), [kept])
  const keep = (w = words) =>
    w.trim() !== kept && context.send({ kind: 'note', note: kind, words: w.trim() || undefined })
  const add = (chip: string) => {
    const next = words.trim() ? `${words.trim()}; ${chip}` : chip
    setWords(next)
    keep(next)
  }
  const left = chips.filter((c) => !words.includes(c))
  return (
    <>
      <Textarea
        aria-label={label}
        placeholder={placeholder}
        rows={2}
        bg="paper"
        borderColor="hair"
        fontSize="14px"
        p="8px"
        value={words}
        onChange={(e) => setWords(e.target.value)}
        onBlur={() => keep()}
      />
      {left.length > 0 && (
        <Flex gap="4px" wrap="wrap" mt="4px">
          {(open ? left : left.slice(0, 2)).map((c) => (
            <chakra.button
              key={c}
              onClick={() => add(c)}
              fontSize="12.5px"
              textAlign="left"
              px="8px"
              py="3px"
              borderRadius="8px"
              borderWidth="1px"
              borderColor="hair"
              bg="paper"
              cursor="pointer"
              _hover={{ borderColor: 'ink' }}
            >
              + {c}
            </chakra.button>
          ))}
          {left.length > 2 && (
            <chakra.button onClick={() => setOpen(!open)} fontSize="12.5px" color="sky" px="4px" cursor="pointer">
              {open ? 'fewer' : `${left.length - 2} more`}
            </chakra.button>
          )}
        </Flex>
      )}
      {left.length === 0 && chips.length === 0 && <Hint>The playbook of this event has no look-fors yet.</Hint>}
    </>
  )
}
