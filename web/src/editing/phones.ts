// How phones are told apart where somebody picks one.
import type { Schemas } from '@/api/client'

// phoneTitles names captured phones by what people know of them: the name or
// label of one that is attached, its capture, its run. Two that would be called
// the same have the beginning of their mark, too.
export function phoneTitles(
  phones: readonly Schemas['CapturedPhone'][],
  attached: ReadonlyMap<string, string>,
  used: ReadonlySet<string | undefined>,
  ago: (time: string) => string,
): { value: string; title: string }[] {
  const titles = phones.map((p) => {
    const at = attached.get(p.phone)
    const parts = [at ? `${at}, attached now` : '', `captured ${ago(p.takenAt)} by ${p.by}`]
    if (p.run) parts.push(`run ${p.run}`)
    if (used.has(p.phone)) parts.push('in your tray already')
    return parts.filter(Boolean).join(', ')
  })
  return phones.map((p, i) => ({
    value: p.phone,
    title: titles.filter((t) => t === titles[i]).length > 1 ? `${titles[i]}, ${p.phone.slice(0, 6)}` : titles[i]!,
  }))
}
