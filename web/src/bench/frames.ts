/** What decoded pictures may take, bytes: a picture 1280 × 720 takes 3.7 MB. */
const budget = 256 * 1024 * 1024
const atOnce = 6
const ahead = 24
const behind = 8

/**
 * Pictures of a clip, fetched round the one being looked at: what lies in the
 * direction of travel first, never more than the budget holds, and requests
 * that are no longer wanted cancelled.
 */
export class Frames {
  private readonly ready = new Map<number, ImageBitmap>()
  private readonly coming = new Map<number, AbortController>()
  private wanted: number[] = []
  private last = 0
  private closed = false
  private most = ahead + behind + 1
  /** Draws a picture at once, ahead of everything that follows from it. */
  paint?: (n: number) => void

  /** Pictures first to last of a clip. Version tells apart what was kept before and after it was decoded anew. */
  constructor(
    private readonly clip: string,
    private readonly first: number,
    private readonly end: number,
    private readonly version: string,
    private readonly arrived: () => void,
  ) {}

  /** The picture, if it is here. */
  get(n: number): ImageBitmap | undefined {
    const b = this.ready.get(n)
    if (b) {
      this.ready.delete(n)
      this.ready.set(n, b)
    }
    return b
  }

  /** Looks at picture n, `stride` pictures from the one before when running. */
  look(n: number, stride = 1) {
    const way = n < this.last ? -1 : 1
    this.last = n
    const list = [n]
    for (let i = 1; i <= ahead; i++) list.push(n + way * i * stride)
    for (let i = 1; i <= behind; i++) list.push(n - way * i)
    this.wanted = list.filter((i) => i >= this.first && i <= this.end && !this.ready.has(i))
    const still = new Set(this.wanted)
    for (const [i, c] of this.coming) if (!still.has(i)) c.abort()
    this.fetch()
  }

  close() {
    this.closed = true
    for (const c of this.coming.values()) c.abort()
    for (const b of this.ready.values()) b.close()
    this.ready.clear()
  }

  private fetch() {
    while (!this.closed && this.coming.size < atOnce) {
      const n = this.wanted.find((i) => !this.coming.has(i))
      if (n === undefined) return
      void this.load(n)
    }
  }

  private async load(n: number) {
    const stop = new AbortController()
    this.coming.set(n, stop)
    this.wanted = this.wanted.filter((i) => i !== n)
    try {
      const answer = await fetch(frameUrl(this.clip, n, this.version), { signal: stop.signal })
      if (!answer.ok) throw new Error(`picture ${n}: ${answer.status}`)
      const bitmap = await createImageBitmap(await answer.blob())
      if (this.closed) {
        bitmap.close()
        return
      }
      this.ready.set(n, bitmap)
      this.most = Math.max(8, Math.floor(budget / (4 * bitmap.width * bitmap.height)))
      for (const [old, b] of this.ready) {
        if (this.ready.size <= this.most) break
        this.ready.delete(old)
        b.close()
      }
      this.arrived()
    } catch {
      // cancelled, or the line dropped: it is asked for again when it is looked at
    } finally {
      this.coming.delete(n)
      this.fetch()
    }
  }
}

/** A picture's address: it never changes, until the clip is decoded anew. */
export const frameUrl = (clip: string, n: number, version: string) => `/api/clips/${clip}/frames/${n}?v=${version}`

/** What tells one decoding of a clip from the next. */
export const decoding = (c: { cutFrom: number; cutTo: number; keptWidth: number }) =>
  `${c.cutFrom.toFixed(2)}-${c.cutTo.toFixed(2)}-${c.keptWidth}`
