import type { Disposition } from './client'

/** A whole number, with commas from five digits on. */
export const number = (n: number) => (n < 10_000 ? String(n) : n.toLocaleString('en-GB'))

/** The dispositions in their order. */
export const dispositions: Disposition[] = [
  'done',
  'ready',
  'reconfigure',
  'refit',
  'decide',
  'replace',
  'undetermined',
]

export const capital = (s: string) => s.charAt(0).toUpperCase() + s.slice(1)

const day = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'long',
  year: 'numeric',
  timeZone: 'UTC',
})
const moment = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'long',
  hour: '2-digit',
  minute: '2-digit',
})

export const sayDay = (iso: string) => day.format(new Date(iso))
export const sayMoment = (iso: string) => moment.format(new Date(iso))

/** How long ago, for lists: “3 h ago”. */
export function ago(iso: string): string {
  const minutes = Math.round((Date.now() - Date.parse(iso)) / 60000)
  if (minutes < 2) return 'just now'
  if (minutes < 90) return `${minutes} min ago`
  if (minutes < 48 * 60) return `${Math.round(minutes / 60)} h ago`
  return `${Math.round(minutes / 1440)} days ago`
}

/** How long something takes, roughly: 25 to 40 minutes, 12 to 28 hours. */
export function hours(m: { least: number; most: number }): string {
  if (m.most === 0) return 'not counted'
  const span = (least: number, most: number, unit: string) =>
    least === most ? `${number(most)} ${unit}` : `${number(least)} to ${number(most)} ${unit}`
  if (m.most < 120) return span(m.least, m.most, 'minutes')
  return span(Math.round(m.least / 60), Math.round(m.most / 60), 'hours')
}

/** “one machine”, “14 machines”. */
export const count = (n: number, one: string, many: string) =>
  n === 1 ? `one ${one}` : `${number(n)} ${many}`
