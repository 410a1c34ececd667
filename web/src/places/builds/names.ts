// What firmware is called.
export const editionOf = (b: { carrier: string; region: string }) => [b.carrier, b.region].filter(Boolean).join(' ')
export const editionName = (edition: string) => edition || 'open edition'
export const nameOf = (b: { carrier?: string; region?: string; version: string }) =>
  [b.carrier, b.region, b.version].filter(Boolean).join(' ')
