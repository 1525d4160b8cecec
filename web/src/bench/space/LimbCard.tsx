import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { ask, client } from '../../ui/client'
import { upper } from '../../ui/format'
import type { Limb } from './fittedMovement'

type Props = {
  attempt: string
  version: number
  limb: Limb
  frame: number
  /** Goes to a picture, to place or confirm a point there. */
  onGo: (frame: number) => void
  onClose: () => void
}

const cm = (u: number) => `± ${(200 * u).toFixed(0)} cm`

/** How well a limb of the fitted body is known on a picture, and what would make it sharper. */
export function LimbCard({ attempt, version, limb, frame, onGo, onClose }: Props) {
  const { from, to, name } = limb
  const known = useQuery({
    queryKey: ['fitted limb', attempt, version, frame, from, to],
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(
        client.GET('/api/attempts/{id}/fits/limb', {
          params: { path: { id: attempt }, query: { frame, from, to } },
        }),
      ),
  })
  const d = known.data
  return (
    <Box
      role="region"
      aria-label={`How well is known: ${name}`}
      position="absolute"
      top="42px"
      left="14px"
      w="300px"
      maxW="calc(100% - 28px)"
      bg="raised"
      color="ink"
      borderRadius="9px"
      p="10px 12px"
      fontSize="13px"
    >
      <Flex justify="space-between" align="start">
        <Text fontWeight="700">
          {upper(name)}, picture {frame}
        </Text>
        <chakra.button aria-label="Close" onClick={onClose} cursor="pointer" minW="32px" minH="32px" mt="-6px">
          ✕
        </chakra.button>
      </Flex>
      {known.error && <Text role="alert">{upper(known.error.message)}.</Text>}
      {d && (
        <>
          <Text role="status">
            {cm(d.across)} across the picture, {cm(d.along)} toward the camera or away from it.
          </Text>
          {d.sharper.length > 0 && (
            <>
              <Text mt="6px" color="soft">
                What would make it sharper:
              </Text>
              <Box as="ul" pl="16px" listStyleType="disc">
                {d.sharper.map((s) => (
                  <li key={s.says}>
                    {s.frame === undefined ? (
                      s.says
                    ) : (
                      <chakra.button
                        textAlign="left"
                        textDecoration="underline"
                        cursor="pointer"
                        minH="28px"
                        verticalAlign="top"
                        onClick={() => onGo(s.frame!)}
                      >
                        {s.says}
                      </chakra.button>
                    )}
                  </li>
                ))}
              </Box>
            </>
          )}
        </>
      )}
    </Box>
  )
}
