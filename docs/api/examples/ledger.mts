// The same as ledger.sh, with types that are generated:
// npx openapi-typescript https://roster.example/api/openapi.json -o schema.d.ts
import type { paths } from '../../../web/src/api/schema'

type Ledger = paths['/api/v1/ledger']['get']
type Query = NonNullable<Ledger['parameters']['query']>
type Page = Ledger['responses'][200]['content']['application/json']

// loose lists what may go from a model, the surest first.
export async function loose(roster: string, token: string): Promise<string[]> {
  const query: Query = { maker: 'brannock', model: 'lyra-5', group: 'none', sort: 'ceiling', q: 'load:loose' }
  const answer = await fetch(`${roster}/api/v1/ledger?${new URLSearchParams(query as Record<string, string>)}`, {
    headers: { Authorization: `Bearer ${token}` },
  })
  if (!answer.ok) throw new Error(`${answer.status}: ${((await answer.json()) as { detail: string }).detail}`)
  const page = (await answer.json()) as Page
  return page.rows.map((row) => [row.name, row.standing, `at most ${Math.ceil(row.ceiling * 100)} %`].join('\t'))
}
