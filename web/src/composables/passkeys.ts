// What devices keep of a person: made, shown, and shown again where an act wants
// that.
import { api, ask, ProblemError, type Schemas } from '@/api/client'

type Challenge = Schemas['ChallengeOutputBody']
type Signed = Schemas['SignedInputBody']

// signed has a device make or show a passkey for a challenge. The error is for
// the person in front of it.
export async function signed(c: Challenge, name?: string): Promise<Signed> {
  if (!('PublicKeyCredential' in window) || !PublicKeyCredential.parseRequestOptionsFromJSON)
    throw new ProblemError('no-passkeys', 0, 'This browser is too old for passkeys.')
  try {
    const credential =
      c.kind === 'make-passkey'
        ? await navigator.credentials.create({
            publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(
              c.options as PublicKeyCredentialCreationOptionsJSON,
            ),
          })
        : await navigator.credentials.get({
            publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(
              c.options as PublicKeyCredentialRequestOptionsJSON,
            ),
          })
    return { id: c.id, name, credential: (credential as PublicKeyCredential).toJSON() }
  } catch (e) {
    const words =
      e instanceof DOMException && e.name === 'InvalidStateError'
        ? 'This device has a passkey of yours already.'
        : 'The device did not answer, or was told not to. Try again.'
    throw new ProblemError('device', 0, words)
  }
}

// confirming does something and, where the server wants the person's passkey for
// it, asks for that and does it again.
export async function confirming<T>(act: () => Promise<T>): Promise<T> {
  try {
    return await act()
  } catch (e) {
    if (!(e instanceof ProblemError) || !e.type.endsWith(':confirm-passkey')) throw e
    const challenge = await ask(api.POST('/api/v1/session/confirmation/challenge'))
    await ask(api.POST('/api/v1/session/confirmation', { body: await signed(challenge) }))
    return act()
  }
}
