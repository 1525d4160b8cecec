import { useCallback, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Clip, Spot } from '../../ui/client'
import type { Frames } from '../frames'

export const mostZoom = 12

/** Where the stage looks: a point of the picture in its middle, and how near. */
type View = { zoom: number; x: number; y: number }

const whole = (width: number, height: number): View => ({ zoom: 1, x: width / 2, y: height / 2 })

const clamp = (v: number, top: number) => Math.min(top, Math.max(0, v))

/**
 * The part of the picture that the stage shows, and painting it. All spots are
 * in pixels of the original picture; scale is how many of them a pixel of the
 * screen takes.
 */
export function useViewport(clip: Clip, frames: Frames, frame: number) {
  const { width, height } = clip
  const room = useRef<HTMLDivElement>(null)
  const canvas = useRef<HTMLCanvasElement>(null)
  const [size, setSize] = useState({ w: 804, h: 452 })
  const [view, setView] = useState(whole(width, height))

  useLayoutEffect(() => {
    const el = room.current!
    const measure = () => setSize({ w: el.clientWidth, h: el.clientHeight })
    const watch = new ResizeObserver(measure)
    watch.observe(el)
    measure()
    return () => watch.disconnect()
  }, [])

  const fit = Math.max(width / size.w, height / size.h)
  const scale = fit / view.zoom
  const seen = useMemo(
    () => ({
      x: view.x - (size.w * scale) / 2,
      y: view.y - (size.h * scale) / 2,
      w: size.w * scale,
      h: size.h * scale,
    }),
    [view.x, view.y, size.w, size.h, scale],
  )

  const painted = useRef<ImageBitmap>(undefined)
  useLayoutEffect(() => {
    painted.current = undefined // it is seen otherwise now
    frames.paint = (n) => {
      const picture = frames.get(n)
      if (!picture || painted.current === picture) return
      painted.current = picture
      const c = canvas.current!
      const dense = devicePixelRatio
      const w = Math.round(size.w * dense)
      const h = Math.round(size.h * dense)
      if (c.width !== w || c.height !== h) Object.assign(c, { width: w, height: h })
      const g = c.getContext('2d')!
      g.setTransform(1, 0, 0, 1, 0, 0)
      g.clearRect(0, 0, w, h)
      const k = dense / scale
      g.setTransform(k, 0, 0, k, -seen.x * k, -seen.y * k)
      g.imageSmoothingQuality = 'high'
      g.drawImage(picture, 0, 0, width, height)
    }
    return () => {
      frames.paint = undefined
    }
  }, [frames, size, width, height, scale, seen])
  useLayoutEffect(() => frames.paint?.(frame))

  /** Zooms about a point of the picture, which stays where it is on the screen. */
  const zoom = useCallback(
    (by: number, about?: Spot) =>
      setView((v) => {
        const to = Math.min(mostZoom, Math.max(1, v.zoom * by))
        if (to === 1) return whole(width, height)
        const p = about ?? v
        const k = v.zoom / to
        return { zoom: to, x: p.x + (v.x - p.x) * k, y: p.y + (v.y - p.y) * k }
      }),
    [width, height],
  )

  /** Moves the picture by so many pixels of the screen. */
  const pan = useCallback(
    (dx: number, dy: number) =>
      setView((v) => (v.zoom === 1 ? v : { ...v, x: v.x - (dx * fit) / v.zoom, y: v.y - (dy * fit) / v.zoom })),
    [fit],
  )

  const showWhole = useCallback(() => setView(whole(width, height)), [width, height])

  /** The spot of the picture under a point of the screen. */
  const spotAt = useCallback(
    (clientX: number, clientY: number): Spot => {
      const r = canvas.current!.getBoundingClientRect()
      return {
        x: clamp(seen.x + (clientX - r.left) * scale, width),
        y: clamp(seen.y + (clientY - r.top) * scale, height),
      }
    },
    [width, height, seen.x, seen.y, scale],
  )

  return { room, canvas, size, scale, seen, zoomed: view.zoom, zoom, pan, showWhole, spotAt }
}

export type Viewport = ReturnType<typeof useViewport>
