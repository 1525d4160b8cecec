import { useLayoutEffect, useRef } from 'react'
import type { Spot } from '../../ui/client'
import { stage as ink } from '../../ui/theme'

const across = 120 // px on the screen
const times = 4

/** The neighbourhood of the pointer, magnified, beside it. */
export function Loupe({
  of,
  at,
  width,
  scale,
  place,
  room,
  name,
}: {
  of: ImageBitmap
  at: Spot
  /** Of the original picture. */
  width: number
  /** Original pixels per pixel on the screen. */
  scale: number
  /** The pointer on the screen. */
  place: Spot
  room: { w: number; h: number }
  name?: string
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  useLayoutEffect(() => {
    const c = canvas.current!.getContext('2d')!
    const k = of.width / width
    const side = (across / times) * scale * k
    c.fillStyle = '#0D141B'
    c.fillRect(0, 0, across, across)
    c.imageSmoothingQuality = 'high'
    c.drawImage(of, at.x * k - side / 2, at.y * k - side / 2, side, side, 0, 0, across, across)
    c.strokeStyle = ink.arc
    c.beginPath()
    c.moveTo(across / 2, 0)
    c.lineTo(across / 2, across / 2 - 6)
    c.moveTo(across / 2, across / 2 + 6)
    c.lineTo(across / 2, across)
    c.moveTo(0, across / 2)
    c.lineTo(across / 2 - 6, across / 2)
    c.moveTo(across / 2 + 6, across / 2)
    c.lineTo(across, across / 2)
    c.stroke()
  })
  const left = place.x > room.w - across - 50 ? place.x - across - 30 : place.x + 30
  const top = place.y > across + 50 ? place.y - across - 30 : place.y + 30
  return (
    <div aria-hidden style={{ position: 'absolute', left, top, pointerEvents: 'none' }}>
      <canvas
        ref={canvas}
        width={across}
        height={across}
        style={{ borderRadius: '50%', border: `2px solid ${ink.chalk}`, display: 'block' }}
      />
      {name && (
        <div
          style={{
            textAlign: 'center',
            color: ink.chalk,
            background: '#0D141Bcc',
            borderRadius: 6,
            marginTop: 3,
            fontSize: 12.5,
            padding: '1px 6px',
          }}
        >
          {name}
        </div>
      )}
    </div>
  )
}
