import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { Button } from '../../ui/Button'
import { spoken } from '../../ui/format'
import { Section } from '../../ui/Panel'
import { Kbd } from '../ControlBar'
import { foundOn, keyName, rungsAt, type BenchContext } from '../benchModel'

/** The few found points that decide most, and the press that confirms a picture's. */
export function Deciding({
  context,
  frame,
  onConfirm,
}: {
  context: BenchContext
  frame: number
  onConfirm: () => void
}) {
  const { bench, event, reading, paths } = context
  const points = reading?.deciding ?? []
  const rungs = rungsAt(event, bench, frame)
  const stamped = rungs.length > 0
  const guessed = rungs.some((k) => bench.stampU?.[k.id])
  const here = stamped ? foundOn(bench, paths, frame).length : 0
  if (points.length === 0 && here === 0) return null
  const unsure = points.filter((p) => p.unsure).length
  const pictures = [...new Set(points.map((p) => p.keyId))].map((keyId) => points.filter((p) => p.keyId === keyId))
  return (
    <Section title="To look at" aside={points.length ? 'found by the server, unconfirmed' : ''}>
      {points.length > 0 && (
        <Text mb="4px">
          <b>{points.length === 1 ? '1 point decides' : `${points.length} points decide`} most</b>
          {unsure > 0 && `; the server is unsure of ${unsure}`}.
        </Text>
      )}
      {pictures.map((list) => (
        <chakra.button
          key={list[0].keyId}
          display="flex"
          alignItems="baseline"
          gap="8px"
          w="100%"
          minH="30px"
          textAlign="left"
          lineHeight="1.2"
          py="3px"
          cursor="pointer"
          aria-current={list[0].frame === frame || undefined}
          borderLeftWidth="3px"
          borderColor={list[0].frame === frame ? 'ink' : 'transparent'}
          pl="7px"
          onClick={() => context.visit(list[0].keyId)}
          _hover={{ bg: 'paper' }}
        >
          <Text flex="1" minW="0">
            <b>{keyName(event, list[0].keyId)}</b>
            <Text as="span" color="soft" fontSize="13px">
              {' '}
              {list.map((p) => spoken(p.landmark) + (p.unsure ? ' (unsure)' : '')).join(', ')}
            </Text>
          </Text>
          <Share of={list.reduce((s, p) => s + p.worth, 0)} />
        </chakra.button>
      ))}
      {here > 0 && (
        <Flex mt="6px" gap="8px" align="center" wrap="wrap">
          <Button
            h="36px"
            main
            title="You have looked at them: they count as placed, each with its own ±"
            onClick={onConfirm}
          >
            Confirm this figure <Kbd>Enter</Kbd>
          </Button>
          <Text fontSize="12.5px" color="soft" flex="1" minW="120px" lineHeight="1.2">
            {here === 1 ? '1 open point' : `${here} open points`} on picture {frame}. Drag one that is off: its
            neighbours follow.
            {guessed && ' Is it the right picture? It is stamped by your eye then.'}
          </Text>
        </Flex>
      )}
    </Section>
  )
}

/** How much of the doubt hangs on a picture's points. */
function Share({ of }: { of: number }) {
  const percent = Math.round(100 * of)
  return (
    <Flex align="center" gap="5px" flex="none" title={`${percent} % of the doubt hangs on these points`}>
      <Box w="40px" h="6px" borderRadius="full" bg="hair" aria-hidden>
        <Box h="6px" borderRadius="full" bg="ink" w={`${Math.min(100, percent)}%`} />
      </Box>
      <Text fontSize="12px" color="soft" css={{ fontVariantNumeric: 'tabular-nums' }} w="30px" textAlign="right">
        {percent} %
      </Text>
    </Flex>
  )
}
