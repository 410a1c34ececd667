// A provider of sign-ins (OpenID Connect) at which whoever comes is signed in at
// once as the same person.
import { createSign, generateKeyPairSync, randomUUID } from 'node:crypto'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'

export class Provider {
  // The claims of whoever comes.
  who: Record<string, unknown> = { sub: 'tove', preferred_username: 'tove', name: 'Tove S.', groups: ['phone desk'] }
  private keys = generateKeyPairSync('rsa', { modulusLength: 2048 })
  private nonces = new Map<string, string>()
  private server = createServer((asked, answer) => {
    const at = new URL(asked.url!, this.issuer)
    const json = (value: unknown) => answer.setHeader('Content-Type', 'application/json').end(JSON.stringify(value))
    const { issuer } = this
    if (at.pathname === '/.well-known/openid-configuration') {
      json({ issuer, authorization_endpoint: `${issuer}/authorize`, token_endpoint: `${issuer}/token`, jwks_uri: `${issuer}/keys` })
    } else if (at.pathname === '/keys') {
      json({ keys: [{ ...this.keys.publicKey.export({ format: 'jwk' }), alg: 'RS256', use: 'sig', kid: 'k' }] })
    } else if (at.pathname === '/authorize') {
      const [code, back] = [randomUUID(), new URL(at.searchParams.get('redirect_uri')!)]
      this.nonces.set(code, at.searchParams.get('nonce')!)
      back.search = new URLSearchParams({ code, state: at.searchParams.get('state')! }).toString()
      answer.writeHead(303, { Location: back.href }).end()
    } else {
      let body = ''
      asked.on('data', (piece) => (body += piece))
      asked.on('end', () => {
        const code = new URLSearchParams(body).get('code')!
        const now = Math.floor(Date.now() / 1000)
        const claims = { iss: issuer, aud: 'roster', iat: now, exp: now + 60, nonce: this.nonces.get(code), ...this.who }
        json({ access_token: 'a', token_type: 'Bearer', id_token: this.signed(claims) })
      })
    }
  })
  issuer = ''

  async start() {
    this.server.listen(0, '127.0.0.1')
    await once(this.server, 'listening')
    this.issuer = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`
  }

  end() {
    this.server.closeAllConnections()
    this.server.close()
  }

  private signed(claims: unknown) {
    const part = (value: unknown) => Buffer.from(JSON.stringify(value)).toString('base64url')
    const text = `${part({ alg: 'RS256', kid: 'k' })}.${part(claims)}`
    return `${text}.${createSign('RSA-SHA256').update(text).sign(this.keys.privateKey, 'base64url')}`
  }
}
