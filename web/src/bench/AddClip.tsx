import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useEffect, useState, type DragEvent } from 'react'
import { Button } from '../ui/Button'
import { ask, client, type Clip, type Event } from '../ui/client'
import { size } from '../ui/format'
import { cancel, forget, send, useUploads } from '../ui/uploads'
import { viewNames } from './benchModel'
import { TrimClip } from './TrimClip'

/** Takes a film by drop or picker, sends it, lets its part be chosen, and follows its decoding. */
export function AddClip({
  attempt,
  event,
  feet,
  clip,
  onChange,
}: {
  attempt: string
  event: Event
  feet: string[]
  clip?: Clip
  onChange: () => void
}) {
  const upload = useUploads().find((u) => u.attempt === attempt)
  const [coming, setComing] = useState(clip)
  const [error, setError] = useState('')
  const [over, setOver] = useState(false)
  useEffect(() => setComing(clip), [clip])

  const sending = upload && !upload.error
  const uploading = !!upload
  useEffect(() => {
    if (!uploading) onChange() // it arrived, or was cancelled
  }, [uploading, onChange])

  const follow = coming && ['looking', 'waiting', 'decoding'].includes(coming.status) ? coming.id : undefined
  useEffect(() => {
    if (!follow) return
    const events = new EventSource(`/api/clips/${follow}/progress`)
    events.onmessage = (e) => {
      const c = JSON.parse(e.data) as Clip
      setComing(c)
      if (c.status === 'choosing' || c.status === 'held' || c.status === 'ready' || c.status === 'failed') {
        events.close()
        onChange()
      }
    }
    return () => events.close()
  }, [follow, onChange])

  const take = (file: File | undefined) => {
    if (!file) return
    setError('')
    if (upload) forget(upload.clip)
    if (coming?.status === 'uploading') {
      if (file.name === coming.name && file.size === coming.bytes) void send(attempt, file, coming)
      else
        setError(
          `To go on, choose the same file again: ${coming.name}, ${size(coming.bytes)}. Or cancel, and choose another.`,
        )
      return
    }
    void send(attempt, file)
  }
  const stop = async () => {
    setError('')
    if (upload) await cancel(upload.clip)
    else if (coming)
      await ask(client.DELETE('/api/clips/{id}', { params: { path: { id: coming.id } } })).catch((e) =>
        setError(e.message),
      )
    setComing(undefined)
    onChange()
  }
  const drop = (e: DragEvent) => {
    e.preventDefault()
    setOver(false)
    take(e.dataTransfer.files[0])
  }

  const resume = async () => {
    setError('')
    try {
      setComing(await ask(client.POST('/api/clips/{id}/resume', { params: { path: { id: coming!.id } } })))
    } catch (e) {
      setError((e as Error).message)
    }
  }

  const halfway = !upload && coming?.status === 'uploading'
  const share = sending
    ? upload.sent / upload.file.size
    : halfway
      ? coming.received / coming.bytes
      : (coming?.progress ?? 0)
  const says = sending
    ? 'Sending the film'
    : coming?.status === 'looking'
      ? 'Looking into the film'
      : 'Taking it apart into pictures'
  if (!sending && coming?.status === 'choosing')
    return <TrimClip clip={coming} onChosen={setComing} onCancel={stop} />
  if (!sending && coming?.status === 'held')
    return <Held clip={coming} error={error} onGoOn={resume} onCancel={stop} />
  return (
    <Flex
      flex="1"
      minH="0"
      bg="stage"
      color="chalk"
      align="center"
      justify="center"
      p="32px"
      onDragOver={(e) => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <Box
        borderWidth="2px"
        borderStyle={over ? 'solid' : 'dashed'}
        borderColor={over ? '#F2C14E' : '#43505A'}
        borderRadius="14px"
        p="32px"
        maxW="600px"
        w="100%"
        textAlign="center"
      >
        {sending || follow ? (
          <>
            <Text fontSize="18px" fontWeight="700" role="status">
              {says}: {(100 * share).toFixed(0)} %
            </Text>
            <Bar share={share} />
            <Text mb="16px" color="#C9C6BC" role="status">
              {sending
                ? (upload.waiting ??
                  `${size(upload.sent)} of ${size(upload.file.size)}. You may work on another attempt ` +
                    `meanwhile; keep this tab open.`)
                : coming?.message || 'You may go on elsewhere: this runs on by itself.'}
            </Text>
            <Button onClick={stop}>Cancel</Button>
          </>
        ) : (
          <>
            <Text fontSize="21px" fontWeight="700">
              {halfway ? 'The rest of this film is missing' : 'Drop the film of this attempt here'}
            </Text>
            {halfway ? (
              <>
                <Bar share={share} />
                <Text mb="18px" color="#C9C6BC">
                  {size(coming.received)} of {size(coming.bytes)} arrived. Choose the same file again, {coming.name}
                  : it goes on from there.
                </Text>
              </>
            ) : (
              <Text mt="6px" mb="18px" color="#C9C6BC">
                The original file from the phone, in slow motion, {viewNames(feet)[event.views[0]]}: camera at hip
                height and level. In the picture: {event.filming?.join('; ')}. Up to 2 GB.
              </Text>
            )}
            <Flex gap="10px" justify="center">
              <chakra.label
                display="inline-flex"
                alignItems="center"
                h="44px"
                px="20px"
                bg="chalk"
                color="#0D141B"
                fontWeight="700"
                borderRadius="9px"
                cursor="pointer"
                _focusWithin={{ outline: '2px solid #6FB4E4', outlineOffset: '2px' }}
              >
                Choose a file
                <input
                  type="file"
                  accept="video/*,.mkv,.mov,.avi"
                  aria-label="Film"
                  onChange={(e) => take(e.target.files?.[0])}
                  style={{ position: 'absolute', opacity: 0, width: 1, height: 1 }}
                />
              </chakra.label>
              {halfway && (
                <Button h="44px" onClick={stop}>
                  Cancel it
                </Button>
              )}
            </Flex>
            {(error || upload?.error || coming?.status === 'failed') && (
              <Text role="alert" mt="16px" fontWeight="600" color="#F2A7C3">
                {sentence(error || upload?.error || coming!.message)}
              </Text>
            )}
          </>
        )}
      </Box>
    </Flex>
  )
}

/** A film that met a full disk: it waits until somebody has made room. */
function Held({
  clip,
  error,
  onGoOn,
  onCancel,
}: {
  clip: Clip
  error: string
  onGoOn: () => void
  onCancel: () => void
}) {
  return (
    <Flex flex="1" minH="0" bg="stage" color="chalk" align="center" justify="center" p="32px">
      <Box
        borderWidth="2px"
        borderColor="#43505A"
        borderRadius="14px"
        p="32px"
        maxW="600px"
        w="100%"
        textAlign="center"
      >
        <Text fontSize="21px" fontWeight="700">
          This film waits for room on the disk
        </Text>
        <Text role="alert" mt="10px" fontWeight="600" color="#F2A7C3">
          {sentence(error || clip.message)}
        </Text>
        <Text mt="10px" mb="18px" color="#C9C6BC">
          {clip.name} itself is kept, {size(clip.bytes)}.{' '}
          <chakra.a href="/settings" textDecoration="underline" color="chalk">
            Settings
          </chakra.a>{' '}
          say what takes room.
        </Text>
        <Flex gap="10px" justify="center">
          <Button h="44px" bg="chalk" color="#0D141B" borderColor="chalk" onClick={onGoOn}>
            Go on with it
          </Button>
          <Button h="44px" bg="transparent" color="chalk" borderColor="#6B7780" onClick={onCancel}>
            Take the film off
          </Button>
        </Flex>
      </Box>
    </Flex>
  )
}

const sentence = (s: string) => s[0]?.toUpperCase() + s.slice(1) + (/[.!?]$/.test(s) ? '' : '.')

function Bar({ share }: { share: number }) {
  return (
    <Box
      role="progressbar"
      aria-valuenow={Math.round(100 * share)}
      aria-valuemin={0}
      aria-valuemax={100}
      h="8px"
      bg="#2A3640"
      borderRadius="4px"
      my="16px"
    >
      <Box h="8px" borderRadius="4px" bg="#F2C14E" w={`${100 * share}%`} />
    </Box>
  )
}
