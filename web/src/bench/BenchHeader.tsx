import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { memo } from 'react'
import { Link } from 'react-router'
import { longDay } from '../ui/format'
import { Logo } from '../ui/Logo'
import { notInFilm, stageTitles, stages, type BenchContext, type StageName } from './benchModel'
import { MarkPopover } from './MarkPopover'

/** Which stages have what the next one needs. */
function progress({ bench, event }: BenchContext): Record<StageName, boolean> {
  const timed = !!bench.clip && bench.clip.captureRate > 0
  return {
    watch: timed && event.watch.every((pass) => bench.calibration.watched?.includes(pass.name)),
    split: event.keys.every((k) => k.optional || bench.stamps[k.id] !== undefined || notInFilm(bench, k.id)),
    measure: bench.landmarks.length > 0 && !!bench.calibration.scale,
    judge: bench.focuses.length > 0,
    assign:
      bench.focuses.length > 0 && bench.focuses.every((f) => bench.assignments.some((a) => a.fault === f.fault)),
  }
}

/** The Bench's own bar: whose attempt it is, its result, undo, and the stages. */
export const BenchHeader = memo(function BenchHeader({
  context,
  stage,
  saving,
  offline,
  onHelp,
}: {
  context: BenchContext
  stage: StageName
  saving: boolean
  offline: boolean
  onHelp: (open: boolean) => void
}) {
  const { bench, event, send } = context
  const title = `${event.name.toLowerCase()} ${bench.number} · ${longDay(bench.day)}`,
    done = progress(context)
  const small = {
    h: '36px',
    minW: '36px',
    px: '8px',
    borderRadius: '8px',
    cursor: 'pointer',
    fontWeight: 600,
    _disabled: { opacity: 0.35, cursor: 'default' },
    _hover: { bg: 'raised' },
  } as const
  return (
    <Flex
      as="header"
      align="center"
      gap={{ base: '4px', lg: '12px' }}
      px={{ base: '8px', lg: '14px' }}
      borderBottomWidth="1px"
      borderColor="hair"
    >
      <Link to="/" aria-label="Today">
        <Box w={{ base: '32px', lg: 'auto' }} overflow="hidden">
          <Logo size={19} />
        </Box>
      </Link>
      <Text flex="1" minW="0" truncate>
        <b>{bench.athlete.name}</b>{' '}
        <Text as="span" color="soft">
          · {title}
        </Text>
      </Text>
      <MarkPopover context={context} />
      <Text role="status" fontSize="12.5px" color={offline ? 'plum' : 'soft'} whiteSpace="nowrap">
        {offline ? 'No connection: will be sent again' : saving ? 'Saving…' : 'Saved'}
      </Text>
      <chakra.button
        {...small}
        aria-label="Undo"
        title="Undo (Z)"
        disabled={!bench.undo}
        onClick={() => send({ kind: 'undo' })}
      >
        ↶
      </chakra.button>
      <chakra.button
        {...small}
        aria-label="Redo"
        title="Redo (Shift Z)"
        disabled={!bench.redo}
        onClick={() => send({ kind: 'redo' })}
      >
        ↷
      </chakra.button>
      <chakra.button {...small} aria-label="Keys" title="Keys (?)" onClick={() => onHelp(true)}>
        ?
      </chakra.button>
      <Flex as="nav" aria-label="Stages" gap="2px">
        {stages.map((s) => (
          <Link
            key={s}
            to={`/attempts/${bench.id}/${s}`}
            aria-current={s === stage ? 'page' : undefined}
            replace
            style={{ borderRadius: 18 }}
          >
            <Box
              px={{ base: '8px', lg: '13px' }}
              h="36px"
              lineHeight="36px"
              borderRadius="full"
              fontWeight="600"
              bg={s === stage ? 'ink' : 'transparent'}
              color={s === stage ? 'paper' : 'ink'}
              position="relative"
            >
              {stageTitles[s]}
              {done[s] && s !== stage && (
                <Box
                  position="absolute"
                  left="14px"
                  right="14px"
                  bottom="3px"
                  h="2.5px"
                  bg="grass"
                  borderRadius="2px"
                />
              )}
              {done[s] && <chakra.span srOnly>, done</chakra.span>}
            </Box>
          </Link>
        ))}
      </Flex>
    </Flex>
  )
})
