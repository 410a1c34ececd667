// What people write into fields, taken apart.

// linesOf takes a text apart into its lines, without empty ones.
export function linesOf(text: string): string[] {
  return text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)
}

// slugOf makes the short word that a function goes by.
export function slugOf(text: string): string {
  return text.trim().toLowerCase().replace(/\s+/g, '-')
}
