import { Box, Text, chakra } from '@chakra-ui/react'
import { useEffect, useRef, useState, type DragEvent } from 'react'
import { v7 as newId } from 'uuid'
import { Act } from '../shared/Act'
import { ask, client, type Clip } from '../shared/client'

/** Takes a film by drop or picker, sends it, and follows its decoding. */
export function AddClip({ attempt, clip, onReady }: { attempt: string; clip?: Clip; onReady: () => void }) {
  const [sent, setSent] = useState<number>()
  const [coming, setComing] = useState(clip)
  const [error, setError] = useState('')
  const [over, setOver] = useState(false)
  const request = useRef<XMLHttpRequest>(undefined)
  useEffect(() => () => request.current?.abort(), [])

  const following = coming && coming.status !== 'failed' ? coming.id : undefined
  useEffect(() => {
    if (!following) return
    const events = new EventSource(`/api/clips/${following}/progress`)
    events.onmessage = (e) => {
      const c = JSON.parse(e.data) as Clip
      setComing(c)
      if (c.status === 'ready' || c.status === 'failed') events.close()
      if (c.status === 'ready') onReady()
    }
    return () => events.close()
  }, [following])

  const take = async (file: File | undefined) => {
    if (!file) return
    setError('')
    try {
      if (coming) await ask(client.DELETE('/api/clips/{id}', { params: { path: { id: coming.id } } }))
      setComing(undefined)
      setSent(0)
      setComing(await upload(`/api/attempts/${attempt}/clip/${newId()}?name=${encodeURIComponent(file.name)}`, file, request, setSent))
    } catch (e) {
      setError((e as Error).message)
    }
    setSent(undefined)
  }
  const cancel = async () => {
    request.current?.abort()
    if (coming) await ask(client.DELETE('/api/clips/{id}', { params: { path: { id: coming.id } } }))
    setComing(undefined)
    setSent(undefined)
  }
  const drop = (e: DragEvent) => {
    e.preventDefault()
    setOver(false)
    void take(e.dataTransfer.files[0])
  }

  const working = sent !== undefined || (coming && coming.status !== 'failed')
  const share = sent !== undefined ? sent : coming?.progress ?? 0
  return (
    <Box flex="1" bg="stage" color="chalk" display="flex" alignItems="center" justifyContent="center" p="32px" onDragOver={(e) => { e.preventDefault(); setOver(true) }} onDragLeave={() => setOver(false)} onDrop={drop}>
      <Box borderWidth="2px" borderStyle={over ? 'solid' : 'dashed'} borderColor={over ? '#F2C14E' : '#43505A'} borderRadius="14px" p="32px" maxW="560px" w="100%" textAlign="center">
        {working ? (
          <>
            <Text fontSize="18px" fontWeight="700" role="status">{sent !== undefined ? 'Sending the film' : 'Taking it apart into pictures'}: {(100 * share).toFixed(0)} %</Text>
            <Box role="progressbar" aria-valuenow={Math.round(100 * share)} aria-valuemin={0} aria-valuemax={100} h="8px" bg="#2A3640" borderRadius="4px" my="16px"><Box h="8px" borderRadius="4px" bg="#F2C14E" w={`${100 * share}%`} /></Box>
            <Text mb="16px" color="#C9C6BC">{sent === undefined && 'You may go on elsewhere: this runs on by itself.'}</Text>
            <Act onClick={cancel}>Cancel</Act>
          </>
        ) : (
          <>
            <Text fontSize="21px" fontWeight="700">Drop the film of this attempt here</Text>
            <Text mt="6px" mb="18px" color="#C9C6BC">The original file from the phone, slow motion, filmed from the side: camera at hip height, level, square to the lane, whole body in the picture from 1 m behind the blocks to 5 m.</Text>
            <chakra.label display="inline-flex" alignItems="center" h="44px" px="20px" bg="chalk" color="#0D141B" fontWeight="700" borderRadius="9px" cursor="pointer" _focusWithin={{ outline: '2px solid #6FB4E4', outlineOffset: '2px' }}>
              Choose a file
              <input type="file" accept="video/*" aria-label="Film" onChange={(e) => void take(e.target.files?.[0])} style={{ position: 'absolute', opacity: 0, width: 1, height: 1 }} />
            </chakra.label>
            {(error || coming?.status === 'failed') && <Text role="alert" mt="16px" fontWeight="600" color="#F2A7C3">{error || coming?.message}</Text>}
          </>
        )}
      </Box>
    </Box>
  )
}

function upload(url: string, file: File, request: { current?: XMLHttpRequest }, progress: (share: number) => void): Promise<Clip> {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest()
    request.current = x
    x.open('PUT', url)
    x.setRequestHeader('Content-Type', 'application/octet-stream')
    x.responseType = 'json'
    x.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / e.total : 0)
    x.onload = () => (x.status === 200 ? resolve(x.response) : reject(new Error(x.response?.message ?? `the server answered ${x.status}`)))
    x.onerror = () => reject(new Error('the line dropped before the file was through: choose it again'))
    x.onabort = () => reject(new Error('cancelled: nothing was kept'))
    x.send(file)
  })
}
