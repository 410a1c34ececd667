// What people wrote in the catalogue, in the page's language: names of apps and of
// functions, and how these phones are made to listen to a computer.
import type { Guide } from '@/editing/guides'

interface Wrote {
  labels: Record<string, string>
  functions: Record<string, string>
  guides: Guide[] | null
}

let wrote: Wrote = { labels: {}, functions: {}, guides: null }

// take takes it as the page has it; nothing where there is nothing.
export function take(text: string) {
  if (text) wrote = JSON.parse(text) as Wrote
}

// functionName is what people call a function.
export const functionName = (slug: string) => wrote.functions[slug] ?? slug.replaceAll('-', ' ')

// appName is what a package is called on the screen; "" where nobody knows.
export const appName = (r: { package?: string; label?: string }) =>
  (r.package && wrote.labels[r.package]) || r.label || ''

export const guides = () => wrote.guides ?? []
