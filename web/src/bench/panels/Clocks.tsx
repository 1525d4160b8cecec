import { Flex, Text } from '@chakra-ui/react'
import { Button } from '../../ui/Button'
import type { Schemas } from '../../ui/client'
import { keyName, type BenchContext } from '../benchModel'
import { Callout, Hint, Section } from '../../ui/Panel'

/** How the clocks of two films lie to each other, and both pictures side by side. */
export function Clocks({
  context,
  clocks,
  beside,
  onBeside,
}: {
  context: BenchContext
  clocks: Schemas['Clocks']
  beside: boolean
  onBeside: () => void
}) {
  const names = clocks.shared.map((p) => keyName(context.event, p))
  return (
    <Section title="Two films" aside={`${names.length} shared ${names.length === 1 ? 'stamp' : 'stamps'}`}>
      {clocks.joined ? (
        <>
          <Text>
            The other film’s time runs {Math.abs(1000 * clocks.offset).toFixed(0)} ±{' '}
            {(2000 * clocks.offsetU).toFixed(0)} ms {clocks.offset < 0 ? 'before' : 'after'} this one’s
            {names.length > 1 ? ', and the stamps agree' : ''}.
          </Text>
          {names.length < 2 && <Hint>One shared stamp joins them; a second one tells whether they agree.</Hint>}
          <Flex mt="6px">
            <Button h="36px" aria-pressed={beside} onClick={onBeside}>
              {beside ? 'Hide the other film' : 'Step both together'}
            </Button>
          </Flex>
        </>
      ) : clocks.odd ? (
        <Callout tone="plum">
          <span role="alert">
            {upper(clocks.why ?? '')}. Look at {keyName(context.event, clocks.odd)} first, or take the other film
            off.
          </span>
        </Callout>
      ) : (
        <Hint>{upper(clocks.why ?? '')}.</Hint>
      )}
      {names.length > 0 && (
        <Text fontSize="13px" color="soft" mt="4px">
          Shared: {names.join(', ')}.
        </Text>
      )}
    </Section>
  )
}

const upper = (s: string) => s.charAt(0).toUpperCase() + s.slice(1)
