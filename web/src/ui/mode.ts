/** Light, dark, or as the device says; kept on this device. */
export type Mode = 'device' | 'light' | 'dark'

const key = 'neokinema mode'
const device = matchMedia('(prefers-color-scheme: dark)')

export const mode = (): Mode => {
  const kept = localStorage.getItem(key)
  return kept === 'light' || kept === 'dark' ? kept : 'device'
}

const follow = () => {
  const m = mode()
  document.documentElement.classList.toggle('dark', m === 'dark' || (m === 'device' && device.matches))
}

export const setMode = (m: Mode) => {
  localStorage.setItem(key, m)
  follow()
}

device.addEventListener('change', follow)
follow()
