import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, working, type Schemas } from '../ui/client'
import { LiveStage } from '../figure/LiveStage'
import { AppHeader } from '../ui/AppHeader'
import { Choice, Entry } from '../ui/fields'

import { viewNames } from '../ui/format'

type Wish = Schemas['SimRequest']

/** Sets an attempt, shows it from any side, and films it like a phone would. */
export function SimPage() {
  const menu = useQuery({ queryKey: ['sim'], queryFn: () => ask(client.GET('/api/sim')), staleTime: Infinity })
  const [chosen, setChosen] = useState<Wish>({
    event: '',
    variant: '',
    level: 'trained',
    side: 'R',
    sex: 'woman',
    heightM: 1.76,
    seed: 1,
    faults: {},
    view: '',
    rate: 240,
    distance: 14,
    offSquare: 0,
  })
  const first = menu.data?.events[0]
  const wish = chosen.event || !first ? chosen : { ...chosen, event: first.id, view: first.views[0] }
  const motion = useQuery({
    queryKey: ['sim motion', wish],
    enabled: !!wish.event,
    queryFn: () => ask(client.POST('/api/sim/motion', { body: wish })),
    placeholderData: (was) => was,
    staleTime: Infinity,
    retry: false,
  })
  const [hidden, setHidden] = useState(false)
  const e = menu.data?.events.find((x) => x.id === wish.event)
  const set = (part: Partial<Wish>) => setChosen({ ...wish, ...part })
  const hide = () => {
    const f = e!.faults[Math.floor(Math.random() * e!.faults.length)]
    set({ faults: { [f.id]: 0.7 + 0.3 * Math.random() }, seed: 1 + Math.floor(Math.random() * 9999) })
    setHidden(true)
  }
  if (!menu.data || !e)
    return menu.error ? (
      <Text role="alert" p="24px">
        {menu.error.message}
      </Text>
    ) : null
  return (
    <Box minH="100%">
      <AppHeader />
      <Flex maxW="1240px" mx="auto" p="20px" gap="20px" align="flex-start" wrap="wrap">
        <Box flex="1 1 700px" minW="0">
          {motion.data ? (
            <LiveStage motion={motion.data} label={`${e.name}, simulated`} />
          ) : (
            <Box h="calc(min(56vh, 470px) + 96px)" aria-busy="true" />
          )}
          {motion.error && (
            <Text role="alert" color="plum" fontWeight="600" mt="8px">
              {motion.error.message}
            </Text>
          )}
          <Film wish={wish} />
        </Box>
        <Box flex="0 1 340px" bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="16px">
          <Flex gap="10px">
            <Choice
              label="Event"
              value={wish.event}
              onChange={(v) => {
                setHidden(false)
                set({
                  event: v.currentTarget.value,
                  variant: '',
                  faults: {},
                  view: menu.data.events.find((x) => x.id === v.currentTarget.value)!.views[0],
                })
              }}
            >
              {menu.data.events.map((x) => (
                <option key={x.id} value={x.id}>
                  {x.name}
                </option>
              ))}
            </Choice>
            {e.variants.length > 1 && (
              <Choice
                label="How"
                value={wish.variant || e.variants[0].id}
                onChange={(v) => set({ variant: v.currentTarget.value })}
              >
                {e.variants.map((v) => (
                  <option key={v.id} value={v.id}>
                    {v.name}
                  </option>
                ))}
              </Choice>
            )}
          </Flex>
          <Flex gap="10px" mt="10px">
            <Choice
              label="Side"
              value={wish.side}
              onChange={(v) => set({ side: v.currentTarget.value as 'L' | 'R' })}
            >
              <option value="R">right</option>
              <option value="L">left</option>
            </Choice>
            <Choice
              label="Athlete"
              value={wish.sex}
              onChange={(v) =>
                set({
                  sex: v.currentTarget.value as 'man' | 'woman',
                  heightM: v.currentTarget.value === 'man' ? 1.84 : 1.72,
                })
              }
            >
              <option value="woman">woman</option>
              <option value="man">man</option>
            </Choice>
            <Choice label="Level" value={wish.level} onChange={(v) => set({ level: v.currentTarget.value })}>
              {menu.data.levels.map((l) => (
                <option key={l}>{l}</option>
              ))}
            </Choice>
          </Flex>
          <Flex gap="10px" mt="10px" css={{ '& > :first-of-type': { flex: '1 0 42%' } }}>
            <Choice label="Camera" value={wish.view} onChange={(v) => set({ view: v.currentTarget.value })}>
              {e.views.map((v) => (
                <option key={v} value={v}>
                  {viewNames[v] ?? v}
                </option>
              ))}
            </Choice>
            <Entry
              label="Distance, m"
              type="number"
              min={4}
              max={50}
              value={wish.distance}
              onChange={(v) => set({ distance: Math.max(4, Math.min(50, Number(v.currentTarget.value) || 14)) })}
            />
            <Choice
              label="Pictures/s"
              value={String(wish.rate)}
              onChange={(v) => set({ rate: Number(v.currentTarget.value) })}
            >
              {[30, 60, 120, 240].map((r) => (
                <option key={r} value={r}>
                  {r}
                </option>
              ))}
            </Choice>
          </Flex>
          <Flex gap="10px" mt="10px">
            <Entry
              label="Off square, °"
              type="number"
              min={-30}
              max={30}
              value={wish.offSquare}
              onChange={(v) => set({ offSquare: Math.max(-30, Math.min(30, Number(v.currentTarget.value) || 0)) })}
            />
            <Entry
              label="Variation (0: as planned)"
              type="number"
              min={0}
              max={99999}
              value={wish.seed}
              onChange={(v) => set({ seed: Math.max(0, Math.floor(Number(v.currentTarget.value) || 0)) })}
            />
          </Flex>
          <Flex justify="space-between" align="center" mt="14px" mb="6px">
            <Heading as="h2" fontSize="14px">
              Faults
            </Heading>
            {hidden ? (
              <Button h="32px" onClick={() => setHidden(false)}>
                Show what it is
              </Button>
            ) : (
              <Button h="32px" onClick={hide}>
                Hide one from me
              </Button>
            )}
          </Flex>
          {hidden ? (
            <Text color="soft">One fault is in it. Watch it, film it, judge it; then look here.</Text>
          ) : (
            <FaultSliders list={e.faults} value={wish.faults ?? {}} onChange={(faults) => set({ faults })} />
          )}
        </Box>
      </Flex>
    </Box>
  )
}

/** How strongly each fault is there. */
function FaultSliders({
  list,
  value,
  onChange,
}: {
  list: Schemas['SimFault'][]
  value: Record<string, number>
  onChange: (faults: Record<string, number>) => void
}) {
  return (
    <Box maxH="300px" overflowY="auto" pr="4px">
      {list.map((f) => {
        const v = value[f.id] ?? 0
        return (
          <label key={f.id} style={{ display: 'block', marginBottom: 6 }} title={f.says}>
            <Flex justify="space-between" fontSize="13px">
              <span>{f.name}</span>
              <Text as="span" color={v ? 'brick' : 'soft'} fontWeight={v ? 700 : 400}>
                {v ? v.toFixed(1) : 'off'}
              </Text>
            </Flex>
            <input
              type="range"
              aria-label={f.name}
              min={0}
              max={1}
              step={0.1}
              value={v}
              style={{
                width: '100%',
                accentColor: v ? 'var(--chakra-colors-brick)' : 'var(--chakra-colors-ink)',
              }}
              onChange={(x) => {
                const n = Number(x.currentTarget.value)
                const { [f.id]: _was, ...rest } = value
                onChange(n ? { ...rest, [f.id]: n } : rest)
              }}
            />
          </label>
        )
      })}
    </Box>
  )
}

/** Films the attempt for one of the athletes; the clip arrives like one from a phone. */
function Film({ wish }: { wish: Wish }) {
  const go = useNavigate()
  const queries = useQueryClient()
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const [of, setOf] = useState('')
  const [id, setId] = useState<string>()
  const [error, setError] = useState('')
  const path = { params: { path: { id: id ?? '' } } }
  const filming = useQuery({
    queryKey: ['filming', id],
    queryFn: () => ask(client.GET('/api/tasks/{id}', path)),
    enabled: !!id,
    refetchInterval: (q) => (q.state.data && working(q.state.data) ? 700 : false),
  })
  const f = filming.data
  const athlete = of || today.data?.athletes[0]?.id
  const begin = async () => {
    try {
      setError('')
      const attempt = newId(),
        film = newId()
      await ask(
        client.POST('/api/attempts', {
          body: {
            id: attempt,
            athleteId: athlete!,
            event: wish.event,
            variant: wish.variant,
            day: today.data!.day,
            place: 'simulated',
          },
        }),
      )
      await ask(client.POST('/api/sim/films', { body: { id: film, attempt, wish } }))
      setId(film)
      queries.invalidateQueries({ queryKey: ['today'] })
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const busy = f && working(f)
  return (
    <Box
      as="section"
      aria-label="Film it"
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="14px 16px"
      mt="14px"
    >
      <Flex gap="14px" align="flex-end" wrap="wrap">
        <Box w="240px">
          <Choice label="Log it for" value={athlete} onChange={(e) => setOf(e.currentTarget.value)}>
            {today.data?.athletes.map((a) => (
              <option key={a.id} value={a.id}>
                {a.name}
              </option>
            ))}
          </Choice>
        </Box>
        <Button main disabled={!athlete || !!busy} onClick={begin}>
          Film it
        </Button>
        {busy && (
          <Button
            onClick={async () => {
              await ask(client.DELETE('/api/tasks/{id}', path))
              filming.refetch()
            }}
          >
            Stop filming
          </Button>
        )}
        {f?.state === 'done' && (
          <Button main onClick={() => go(`/attempts/${f.subject}/watch`)}>
            Open the clip
          </Button>
        )}
        <Text flex="1" minW="200px" color="soft" role="status">
          {!id
            ? 'The clip comes in as if a phone had filmed it. It goes on in the background.'
            : busy
              ? f.total
                ? `Picture ${f.done} of ${f.total}`
                : 'In line'
              : f?.state === 'done'
                ? 'The clip is in.'
                : f?.state === 'cancelled'
                  ? 'Stopped. The attempt stays without a clip.'
                  : ''}
        </Text>
      </Flex>
      {busy && f.total > 0 && (
        <Box mt="10px" h="6px" borderRadius="full" bg="hair">
          <Box h="6px" borderRadius="full" bg="ink" w={`${(100 * f.done) / f.total}%`} />
        </Box>
      )}
      {(error || f?.state === 'failed') && (
        <Text role="alert" color="plum" fontWeight="600" mt="8px">
          {error || f?.message}
        </Text>
      )}
    </Box>
  )
}
