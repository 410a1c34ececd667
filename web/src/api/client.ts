import { QueryClient } from '@tanstack/vue-query'
import createClient from 'openapi-fetch'
import { unattended } from './attended'
import type { components, paths } from './schema'

export type Schemas = components['schemas']

// A problem as the server tells it (RFC 9457), or as the network does.
export class ProblemError extends Error {
  constructor(
    readonly type: string,
    readonly status: number,
    detail: string,
    readonly errors: { message?: string; value?: unknown }[] = [],
  ) {
    super(detail)
  }
}

export const api = createClient<paths>({ baseUrl: '' })
api.use({
  onRequest({ request }) {
    if (unattended()) request.headers.set('Roster-Unattended', '1')
  },
  // Whoever is signed in no longer is told so at once.
  onResponse({ response, request }) {
    if (response.status === 401 && !request.url.endsWith('/api/v1/session'))
      void queryClient.invalidateQueries({ queryKey: ['session'] })
  },
})

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

// ask waits for an answer and throws what went wrong in words.
export async function ask<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await request
  } catch {
    throw new ProblemError('network', 0, 'The server does not answer. Nothing was lost; try again when it is back.')
  }
  if (answer.error !== undefined || !answer.response.ok) {
    const p = (answer.error ?? {}) as Partial<Schemas['Problem']>
    const where = p.errors?.map((e) => `${e.location ?? ''} ${e.message ?? ''}`.trim()).join('; ')
    const detail = [p.detail, where].filter(Boolean).join(': ')
    throw new ProblemError(
      p.type ?? 'unknown',
      answer.response.status,
      detail || `The server answered ${answer.response.status}.`,
      p.errors ?? [],
    )
  }
  return answer.data as T
}

export function words(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      refetchOnWindowFocus: false,
      retry: (count, error) =>
        error instanceof ProblemError && (error.status === 0 || error.status === 503) && count < 20,
      retryDelay: (count) => Math.min(1000 * 2 ** count, 5000),
    },
  },
})

// asForm sends files as a form, which the client does not do by itself.
export function asForm(files: Iterable<File>) {
  const form = new FormData()
  for (const f of files) form.append('files', f)
  return { body: form as unknown as { files: string[] }, bodySerializer: (body: unknown) => body as FormData }
}
