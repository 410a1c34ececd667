// What each role may do, from who may least to who may most: each also what those
// before it may.
export const roles = ['technician', 'reviewer', 'maintainer', 'keeper'] as const
export type Role = (typeof roles)[number]

export const mayDo: Record<Role, string[]> = {
  technician: ['capture', 'try', 'send changes'],
  reviewer: ["decide about others' changes"],
  maintainer: ['compose profiles', 'publish and withdraw releases'],
  keeper: ['invite and remove people', 'change the rules', 'read the record'],
}

// turnedRole tells what somebody gains and loses by another role.
export function turnedRole(from: Role, to: Role): { gains: string[]; loses: string[] } {
  const [a, b] = [roles.indexOf(from), roles.indexOf(to)]
  const between = (low: number, high: number) => roles.slice(low + 1, high + 1).flatMap((r) => mayDo[r])
  return { gains: between(a, b), loses: between(b, a) }
}
