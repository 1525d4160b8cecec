import { useLayoutEffect, useRef } from 'react'
import type { Spot } from '../shared/client'
import { stage as ink } from '../shared/theme'

const across = 120 // px on the screen
const times = 4

/** The neighbourhood of the pointer, magnified, beside it. */
export function Loupe({ of, at, width, height, box, name }: { of: HTMLCanvasElement; at: Spot; width: number; height: number; box: { w: number; h: number }; name?: string }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  useLayoutEffect(() => {
    const c = canvas.current!.getContext('2d')!
    const k = of.width / box.w // picture pixels per pixel on the screen
    const side = (across / times) * k
    c.fillStyle = '#0D141B'
    c.fillRect(0, 0, across, across)
    c.imageSmoothingQuality = 'high'
    c.drawImage(of, (at.x / width) * of.width - side / 2, (at.y / height) * of.height - side / 2, side, side, 0, 0, across, across)
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
  const x = (at.x / width) * box.w, y = (at.y / height) * box.h
  const left = x > box.w - across - 50 ? x - across - 30 : x + 30
  const top = y > across + 50 ? y - across - 30 : y + 30
  return (
    <div aria-hidden style={{ position: 'absolute', left, top, pointerEvents: 'none' }}>
      <canvas ref={canvas} width={across} height={across} style={{ borderRadius: '50%', border: `2px solid ${ink.chalk}`, display: 'block' }} />
      {name && <div style={{ textAlign: 'center', color: ink.chalk, background: '#0D141Bcc', borderRadius: 6, marginTop: 3, fontSize: 12.5, padding: '1px 6px' }}>{name}</div>}
    </div>
  )
}
