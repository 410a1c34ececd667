// Places in a text: the server counts them in bytes of UTF-8, the browser in
// UTF-16 units.
const encoder = new TextEncoder()

export const bytesOf = (text: string) => encoder.encode(text).length

// unitsAt is the place in UTF-16 units of one in bytes; the end of the text for
// one past it. A place within a character is the character's end.
export function unitsAt(text: string, bytes: number): number {
  let units = 0
  let seen = 0
  for (const character of text) {
    if (seen >= bytes) break
    seen += bytesOf(character)
    units += character.length
  }
  return units
}
