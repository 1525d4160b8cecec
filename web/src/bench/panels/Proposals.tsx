import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { Button } from '../../ui/Button'
import type { Proposal } from '../../ui/client'
import { keyName, taking, type BenchContext } from '../benchModel'
import { Hint } from '../../ui/Panel'

const sure = (c: number) => (c >= 0.9 ? 'sure' : c >= 0.6 ? 'likely' : 'a guess')

/** Key positions that paths show, pencilled in until the coach takes or drops them. */
export function Proposals({
  context,
  proposals,
  lacks,
  rejected,
  onAll,
}: {
  context: BenchContext
  proposals: Proposal[]
  lacks?: string
  rejected: string[]
  onAll: () => void
}) {
  const { event, send } = context
  const take = (p: Proposal) => send(taking([p]))
  const drop = (p: Proposal) => send({ kind: 'rejectedProposals', keyIds: [...rejected, p.keyId] })
  const again = rejected.length > 0 && (
    <chakra.button
      mt="4px"
      minH="28px"
      fontSize="12.5px"
      color="sky"
      cursor="pointer"
      onClick={() => send({ kind: 'rejectedProposals', keyIds: [] })}
    >
      show the {rejected.length} dropped again
    </chakra.button>
  )
  if (proposals.length === 0)
    return lacks || again ? (
      <Box mb="12px">
        {lacks && <Hint>{lacks}</Hint>}
        {again}
      </Box>
    ) : null
  return (
    <Box
      as="section"
      aria-label="Pencilled in"
      borderWidth="1px"
      borderStyle="dashed"
      borderColor="mist"
      borderRadius="10px"
      p="10px"
      mb="14px"
    >
      <Flex align="center" gap="8px" mb="6px">
        <Text flex="1" fontWeight="600">
          {proposals.length} pencilled in
        </Text>
        <Button main h="36px" onClick={onAll}>
          Take all · A
        </Button>
      </Flex>
      <Text fontSize="12px" color="soft" mb="4px">
        How sure each is was tried on simulated athletes alone: look at it.
      </Text>
      <Box maxH="190px" overflowY="auto" css={{ scrollbarWidth: 'thin' }}>
        {proposals.map((p) => (
          <Flex key={p.keyId} align="center" gap="4px" minH="34px">
            <chakra.button
              flex="1"
              textAlign="left"
              lineHeight="1.15"
              cursor="pointer"
              onClick={() => context.go(p.frame)}
              _hover={{ textDecoration: 'underline' }}
            >
              <Text fontWeight="600" fontSize="13.5px">
                {keyName(event, p.keyId)}
              </Text>
              <Text fontSize="12px" color="soft">
                picture {p.frame} ± {(2000 * p.u).toFixed(0)} ms · {sure(p.confidence)},{' '}
                {(100 * p.confidence).toFixed(0)} % · {p.from}
              </Text>
            </chakra.button>
            <chakra.button
              aria-label={`Take ${keyName(event, p.keyId)}`}
              title="Take it"
              minW="34px"
              h="32px"
              borderRadius="8px"
              borderWidth="1px"
              borderColor="hair"
              cursor="pointer"
              onClick={() => take(p)}
            >
              ✓
            </chakra.button>
            <chakra.button
              aria-label={`Drop ${keyName(event, p.keyId)}`}
              title="Drop it"
              minW="34px"
              h="32px"
              borderRadius="8px"
              borderWidth="1px"
              borderColor="hair"
              cursor="pointer"
              onClick={() => drop(p)}
            >
              ✕
            </chakra.button>
          </Flex>
        ))}
      </Box>
      {again}
    </Box>
  )
}
