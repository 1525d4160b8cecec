import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useRef, useState, type PointerEvent } from 'react'
import { Button, Pills } from '../ui/Button'
import { ask, client, type Clip } from '../ui/client'
import { size } from '../ui/format'

/** How many pictures a clip may keep. */
const most = 3000
const widths = ['1280', '1920', 'original'] as const

/** The film before it is taken apart: what it is, which part is kept, how wide. */
export function TrimClip({
  clip,
  onChosen,
  onCancel,
  cancel = 'Another film',
}: {
  clip: Clip
  onChosen: (c: Clip) => void
  onCancel: () => void
  cancel?: string
}) {
  const [part, setPart] = useState<[number, number]>(() =>
    clip.cutTo > 0 ? [clip.cutFrom, Math.min(clip.cutTo, clip.seconds)] : [0, clip.seconds],
  )
  const [width, setWidth] = useState<(typeof widths)[number]>('1280')
  const [shown, setShown] = useState(0)
  const [error, setError] = useState('')
  const [busy, setBusy] = useState(false)
  const times = useQuery({
    queryKey: ['previews', clip.id],
    queryFn: () => ask(client.GET('/api/clips/{id}/previews', { params: { path: { id: clip.id } } })),
  })
  const bar = useRef<HTMLDivElement>(null)
  const end = useRef<0 | 1>(0)

  const pictures = Math.round(((part[1] - part[0]) / clip.seconds) * clip.pictures)
  const tooMany = pictures > most
  const choices = widths.filter(
    (w) => w === '1280' || Number(w) < clip.width || (w === 'original' && clip.width > 1280),
  )
  const step = clip.seconds / clip.pictures
  const set = (which: 0 | 1, t: number) => {
    const at = Math.min(clip.seconds, Math.max(0, t))
    setPart(([a, b]) => (which === 0 ? [Math.min(at, b - step), b] : [a, Math.max(at, a + step)]))
    const near = times.data?.reduce(
      (best, x, i) => (Math.abs(x - at) < Math.abs(times.data![best] - at) ? i : best),
      0,
    )
    if (near !== undefined) setShown(near)
  }
  const at = (e: PointerEvent) => {
    const r = bar.current!.getBoundingClientRect()
    return ((e.clientX - r.left) / r.width) * clip.seconds
  }
  const down = (e: PointerEvent<HTMLDivElement>) => {
    const t = at(e)
    end.current = Math.abs(t - part[0]) <= Math.abs(t - part[1]) ? 0 : 1
    e.currentTarget.setPointerCapture(e.pointerId)
    set(end.current, t)
  }
  const choose = async () => {
    setBusy(true)
    try {
      const body = {
        from: part[0],
        to: part[1],
        width: width === 'original' ? Math.max(160, clip.width) : Number(width),
      }
      onChosen(await ask(client.POST('/api/clips/{id}/part', { params: { path: { id: clip.id } }, body })))
    } catch (e) {
      setError((e as Error).message)
    }
    setBusy(false)
  }
  const share = (t: number) => `${(100 * t) / clip.seconds}%`
  const fact = (name: string, value: string) => (
    <Text key={name} as="span" color="#C9C6BC">
      {name}{' '}
      <Text as="b" color="chalk">
        {value}
      </Text>
    </Text>
  )
  return (
    <Box flex="1" minH="0" bg="stage" color="chalk" p="20px 28px" overflowY="auto">
      {clip.message && (
        <Text role="alert" mb="8px" fontWeight="600" color="#F2A7C3">
          {clip.message[0].toUpperCase() + clip.message.slice(1)}.
        </Text>
      )}
      <Text fontSize="18px" fontWeight="700">
        Which part of this film is the attempt?
      </Text>
      <Flex gap="16px" wrap="wrap" mt="4px" mb="12px" fontSize="13px">
        {fact('plays', `${clip.seconds.toFixed(1)} s`)}
        {fact('pictures', `${clip.pictures}`)}
        {fact('size', `${clip.width} × ${clip.height}`)}
        {fact('file', `${size(clip.bytes)}, ${clip.codec}`)}
      </Flex>
      <Flex justify="center" h="min(46vh, 400px)" bg="#000" borderRadius="8px" overflow="hidden">
        {times.data && times.data.length > 0 && (
          <img
            src={`/api/clips/${clip.id}/previews/${shown}`}
            alt={`The film at ${times.data[shown].toFixed(1)} s`}
            style={{ height: '100%', objectFit: 'contain' }}
          />
        )}
      </Flex>
      <Box
        ref={bar}
        position="relative"
        mt="12px"
        h="64px"
        borderRadius="8px"
        overflow="hidden"
        bg="#1A242D"
        cursor="ew-resize"
        style={{ touchAction: 'none' }}
        onPointerDown={down}
        onPointerMove={(e) => e.buttons & 1 && set(end.current, at(e))}
      >
        {times.data
          ?.filter((_, i, a) => i % Math.max(1, Math.ceil(a.length / 16)) === 0)
          .map((t, i, a) => (
            <img
              key={t}
              src={`/api/clips/${clip.id}/previews/${times.data!.indexOf(t)}`}
              alt=""
              draggable={false}
              style={{
                position: 'absolute',
                left: share((i * clip.seconds) / a.length),
                width: share(clip.seconds / a.length),
                height: '100%',
                objectFit: 'cover',
              }}
            />
          ))}
        <Box
          position="absolute"
          inset="0"
          style={{ right: 'auto', width: share(part[0]) }}
          bg="rgba(13,20,27,.78)"
        />
        <Box position="absolute" inset="0" style={{ left: share(part[1]) }} bg="rgba(13,20,27,.78)" />
        {part.map((t, i) => (
          <Box
            key={i}
            position="absolute"
            top="0"
            bottom="0"
            w="4px"
            ml={i ? '-4px' : 0}
            bg="#F2C14E"
            style={{ left: share(t) }}
          />
        ))}
      </Box>
      <Flex gap="24px" mt="10px" wrap="wrap" align="center">
        <End label="Begins at" value={part[0]} most={clip.seconds} step={step} onChange={(t) => set(0, t)} />
        <End label="Ends at" value={part[1]} most={clip.seconds} step={step} onChange={(t) => set(1, t)} />
        {choices.length > 1 && (
          <Flex align="center" gap="8px">
            <Text fontSize="12.5px" color="#C9C6BC">
              Pictures kept
            </Text>
            <Box
              css={{
                '& button': { color: '#E9E2D3', borderColor: '#43505A' },
                '& button[aria-checked=true]': { bg: '#E9E2D3', color: '#0D141B' },
              }}
            >
              <Pills
                label="Width of kept pictures"
                options={choices.map((w) => [w, w === 'original' ? `${clip.width} px, original` : `${w} px`])}
                value={width}
                onPick={setWidth}
              />
            </Box>
          </Flex>
        )}
      </Flex>
      <Flex mt="16px" gap="10px" align="center" wrap="wrap">
        <Button
          autoFocus
          onClick={choose}
          disabled={tooMany || busy}
          bg="chalk"
          color="#0D141B"
          borderColor="chalk"
        >
          {pictures >= clip.pictures ? 'Take all of it' : 'Take this part'}
        </Button>
        <Button onClick={onCancel} bg="transparent" color="chalk" borderColor="#6B7780">
          {cancel}
        </Button>
        <Text role="status" fontWeight="600" color={tooMany ? '#F2A7C3' : '#C9C6BC'}>
          {tooMany
            ? `${pictures} pictures are more than ${most}: cut it down to the movement itself.`
            : `About ${pictures} pictures. The original is kept; the part can be changed later.`}
        </Text>
      </Flex>
      {error && (
        <Text role="alert" mt="8px" fontWeight="600" color="#F2A7C3">
          {error}
        </Text>
      )}
    </Box>
  )
}

function End({
  label,
  value,
  most,
  step,
  onChange,
}: {
  label: string
  value: number
  most: number
  step: number
  onChange: (t: number) => void
}) {
  return (
    <chakra.label display="flex" alignItems="center" gap="8px" fontSize="12.5px" color="#C9C6BC">
      {label}
      <input
        type="range"
        min={0}
        max={most}
        step={step}
        value={value}
        aria-label={label}
        aria-valuetext={`${value.toFixed(2)} s`}
        onChange={(e) => onChange(Number(e.target.value))}
        style={{ width: 180, accentColor: '#F2C14E' }}
      />
      <Text as="b" color="chalk" w="64px">
        {value.toFixed(2)} s
      </Text>
    </chakra.label>
  )
}
