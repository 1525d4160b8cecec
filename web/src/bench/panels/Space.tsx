import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { v7 as newId } from 'uuid'
import { Button } from '../../ui/Button'
import { ask, client, type Bench, type Schemas } from '../../ui/client'
import { upper } from '../../ui/format'
import type { BenchContext, Tool } from '../benchModel'
import { FitFilm } from './FitFilm'
import { Fold, Plain, Small } from './Film'
import { Hint } from '../../ui/Panel'

type Place = { name: string; at: number[] }

/** Where the camera stood, by points of known places; and the attempt's other film, for what is in the air. */
export function Space({
  context,
  frame,
  tool,
  onTool,
  onBody,
  onChange,
}: {
  context: BenchContext
  frame: number
  tool?: Tool
  onTool: (t: Tool | undefined) => void
  /** Shows the fitted body. */
  onBody: () => void
  onChange: () => void
}) {
  const { bench, event, reading } = context
  const marked = bench.calibration.controlPoints ?? []
  const space = reading?.space
  const own = marked.filter((m) => !event.controlPoints?.some((p) => p.name === m.name))
  const all: Place[] = [...(event.controlPoints ?? []), ...own]
  const [open, setOpen] = useState(!!bench.other)
  const without = (name: string) => {
    const points = marked.filter((m) => m.name !== name)
    context.send({ kind: 'controlPoints', controlPoints: points })
  }
  const points = marked.length === 1 ? ': 1 known point' : marked.length ? `: ${marked.length} known points` : ''
  const title = `In space${space?.joined ? ': two films joined' : points}`
  return (
    <Fold title={title} open={open} onOpen={setOpen}>
      <Hint>
        Which way a foot points, how the hips turn against the shoulders, a knee in the turn: one picture alone does
        not show it. Mark points of known places here, and the same on a second film from another side.
      </Hint>
      {event.ground?.kind === 'circle' && !bench.clip?.filmless && <FindCircle context={context} />}
      {space?.stand && (
        <Text fontSize="13px" mt="6px">
          {space.stand.why ? (
            `${upper(space.stand.why)}.`
          ) : (
            <>
              The camera's place is known from {space.stand.points} points, which it misses by{' '}
              {space.stand.miss.toFixed(1)} px; its distance to ± {(200 * space.stand.u).toFixed(0)} %.
            </>
          )}
        </Text>
      )}
      <Box as="ul" listStyleType="none" mt="6px" maxH="218px" overflowY="auto" aria-label="Known points">
        {all.map((p) => {
          const at = marked.find((m) => m.name === p.name)
          const on = tool?.kind === 'controlPoint' && tool.name === p.name
          return (
            <Flex
              as="li"
              key={p.name}
              align="center"
              gap="6px"
              minH="40px"
              fontSize="13px"
              bg={on ? 'paper' : undefined}
            >
              <chakra.button
                flex="1"
                minW="0"
                minH="40px"
                textAlign="left"
                cursor="pointer"
                aria-pressed={on}
                onClick={() => onTool(on ? undefined : { kind: 'controlPoint', name: p.name, at: p.at })}
              >
                <Text lineHeight="1.2" fontWeight={on ? 700 : 500}>
                  {at ? '✓ ' : on ? '→ ' : '○ '}
                  {p.name}
                </Text>
                <Text as="span" color="soft" fontSize="12px">
                  {p.at.map((v) => v.toFixed(2)).join(', ')} m{at ? ` · picture ${at.frame}` : ''}
                </Text>
              </chakra.button>
              {at && (
                <Plain
                  fontSize="12.5px"
                  color="soft"
                  minH="40px"
                  aria-label={`Clear: ${p.name}`}
                  onClick={() => without(p.name)}
                >
                  clear
                </Plain>
              )}
            </Flex>
          )
        })}
      </Box>
      {tool?.kind === 'controlPoint' && (
        <Text role="status" mt="4px" fontWeight="600">
          Press on: {tool.name}. Any picture that shows it will do; this is picture {frame}.
        </Text>
      )}
      <OwnPlace taken={all.map((p) => p.name)} onTool={onTool} />
      <FitFilm context={context} onShow={onBody} />
      <OtherFilm context={context} space={space} onChange={onChange} />
    </Fold>
  )
}

/** Finds the throwing circle on the picture and marks its points; what is wrong with them is mended by hand. */
function FindCircle({ context }: { context: BenchContext }) {
  const { id, calibration } = context.bench
  const [state, setState] = useState<{ looking?: boolean; said?: string; error?: string }>({})
  const find = async () => {
    setState({ looking: true })
    try {
      const found = await ask(client.GET('/api/attempts/{id}/circle', { params: { path: { id } } }))
      const names = new Set(found.points.map((p) => p.name))
      const others = (calibration.controlPoints ?? []).filter((p) => !names.has(p.name))
      context.send({ kind: 'controlPoints', controlPoints: [...others, ...found.points] })
      if (!calibration.scale) context.send({ kind: 'scale', scale: found.scale })
      context.go(found.points[0].frame)
      setState({
        said:
          `${found.points.length} points are marked, to ± ${(2 * found.u).toFixed(1)} px. ` +
          'Look at them on this picture: press one anew where it is off.',
      })
    } catch (e) {
      setState({ error: (e as Error).message })
    }
  }
  return (
    <Box mt="6px" fontSize="13px">
      <Button h="40px" onClick={find} disabled={state.looking}>
        {state.looking ? 'Looking for the circle …' : 'Find the circle'}
      </Button>
      {state.said && (
        <Text role="status" mt="4px">
          {state.said}
        </Text>
      )}
      {state.error && (
        <Text role="alert" mt="4px" color="plum" fontWeight="600">
          {upper(state.error)}.
        </Text>
      )}
    </Box>
  )
}

/** A place that the coach measured with a tape. */
function OwnPlace({ taken, onTool }: { taken: string[]; onTool: (t: Tool) => void }) {
  const [name, setName] = useState('')
  const [at, setAt] = useState(['', '', ''])
  const numbers = at.map(Number)
  const good =
    name.trim() !== '' &&
    !taken.includes(name.trim()) &&
    at.every((v) => v !== '') &&
    numbers.every((v) => Number.isFinite(v) && Math.abs(v) <= 200)
  return (
    <Box
      as="form"
      mt="6px"
      onSubmit={(e) => {
        e.preventDefault()
        if (good) {
          onTool({ kind: 'controlPoint', name: name.trim(), at: numbers })
          setName('')
          setAt(['', '', ''])
        }
      }}
    >
      <Flex gap="4px" wrap="wrap" align="center">
        <chakra.input
          aria-label="Name of another known point"
          placeholder="another"
          w="78px"
          h="36px"
          px="8px"
          borderRadius="8px"
          borderWidth="1px"
          borderColor="hair"
          bg="paper"
          fontSize="13px"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        {['m toward the throw', 'm to its left', 'm up'].map((label, i) => (
          <Small
            key={label}
            label={label}
            placeholder={['on', 'left', 'up'][i]}
            width={44}
            value={at[i]}
            onChange={(v) => setAt(at.map((w, j) => (j === i ? v : w)))}
          />
        ))}
        <Button h="36px" px="10px" type="submit" aria-label="Mark this point" disabled={!good}>
          mark
        </Button>
      </Flex>
    </Box>
  )
}

function OtherFilm({
  context,
  space,
  onChange,
}: {
  context: BenchContext
  space?: Schemas['Space']
  onChange: () => void
}) {
  const { other, id } = context.bench
  const nav = useNavigate()
  const [error, setError] = useState('')
  const add = async () => {
    try {
      const made = await ask(
        client.POST('/api/attempts/{id}/other', { params: { path: { id } }, body: { id: newId() } }),
      )
      nav(`/attempts/${made.id}/watch`)
    } catch (e) {
      setError((e as Error).message)
    }
  }
  return (
    <Box mt="8px" fontSize="13px">
      <Text fontWeight="600">{other?.second ? 'This is the second film' : 'The second film'}</Text>
      {other ? (
        <>
          {space?.joined ? (
            <Text role="status">
              Its time runs {Math.abs(1000 * space.offset).toFixed(0)} ± {(2000 * space.offsetU).toFixed(0)} ms{' '}
              {space.offset < 0 ? 'before' : 'after'} this one's. {space.points} marks are known in space
              {space.lost > 0 && `; ${space.lost} lie at different places on the two, look at them again`}.
            </Text>
          ) : space?.why ? (
            <Text>{upper(space.why)}.</Text>
          ) : null}
          <Link to={`/attempts/${other.id}/measure`} style={{ textDecoration: 'underline', lineHeight: '40px' }}>
            {other.second ? 'Go to the first film' : 'Go to the second film'}
          </Link>
          <TakeOff bench={context.bench} onChange={onChange} />
        </>
      ) : (
        <>
          <Hint>It is stamped and placed like this one; nothing more is asked of you.</Hint>
          <Button h="40px" mt="4px" aria-label="Add a film from another side" onClick={add}>
            Add a film from another side
          </Button>
        </>
      )}
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error}
        </Text>
      )}
    </Box>
  )
}

/** Takes the second film off, from either bench, after asking. */
export function TakeOff({ bench: { id, other }, onChange }: { bench: Bench; onChange: () => void }) {
  const nav = useNavigate()
  const [asked, setAsked] = useState(false)
  const [error, setError] = useState('')
  if (!other) return null
  const off = async () => {
    try {
      await ask(client.DELETE('/api/attempts/{id}', { params: { path: { id: other.second ? id : other.id } } }))
      if (other.second) nav(`/attempts/${other.id}/measure`)
      else onChange()
    } catch (e) {
      setError((e as Error).message)
    }
  }
  return (
    <Box fontSize="13px">
      {asked ? (
        <Box role="alertdialog" aria-label="Take the second film off">
          <Text>The second film goes, with all that was stamped and placed on it. This cannot be undone.</Text>
          <Flex gap="8px" mt="6px">
            <Button h="40px" onClick={off}>
              Take it off
            </Button>
            <Button h="40px" onClick={() => setAsked(false)}>
              Keep it
            </Button>
          </Flex>
        </Box>
      ) : (
        <Plain minH="40px" aria-label="Take the second film off" onClick={() => setAsked(true)}>
          take the second film off
        </Plain>
      )}
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error}
        </Text>
      )}
    </Box>
  )
}
