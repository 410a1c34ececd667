// What each role may do, from who may least to who may most: each also what those
// before it may.
import type { Schemas } from '@/api/client'

export type Role = Schemas['Person']['role']
export const roles: readonly Role[] = ['technician', 'reviewer', 'maintainer', 'keeper']

// atLeast reports whether a role may what another may.
export const atLeast = (role: Role, other: Role) => roles.indexOf(role) >= roles.indexOf(other)

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
