// For how long a phone was used after a run.

// daysSince counts whole days that a phone was used after a run began; cleanFrom is
// when the first of them is over, from which on a removal can count as clean.
const day = 24 * 3600_000
export const daysSince = (startedAt: string, now = Date.now()) =>
  Math.max(0, Math.floor((now - new Date(startedAt).getTime()) / day))
export const cleanFrom = (startedAt: string) => new Date(new Date(startedAt).getTime() + day)
