// oci.mjs FOLDER VERSION EPOCH LAYER.tar...: writes an OCI image layout with one
// image for each layer, whose name ends in its processor: layer-amd64.tar, with
// layer-amd64.tar.gz beside it.
import { createHash } from 'node:crypto'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'

const [folder, version, epoch, ...layers] = process.argv.slice(2)
const created = new Date(Number(epoch) * 1000).toISOString()
const sha256 = (raw) => 'sha256:' + createHash('sha256').update(raw).digest('hex')

mkdirSync(`${folder}/blobs/sha256`, { recursive: true })

// keep writes a blob and describes it.
function keep(mediaType, content, more = {}) {
  const raw = Buffer.isBuffer(content) ? content : Buffer.from(JSON.stringify(content))
  const digest = sha256(raw)
  writeFileSync(`${folder}/blobs/${digest.replace(':', '/')}`, raw)
  return { mediaType, digest, size: raw.length, ...more }
}

const manifests = layers.map((file) => {
  const architecture = /-(\w+)\.tar$/.exec(file)[1]
  const config = keep('application/vnd.oci.image.config.v1+json', {
    created,
    architecture,
    os: 'linux',
    config: {
      User: '8420:8420',
      ExposedPorts: { '8420/tcp': {} },
      Env: [
        'HOME=/var/lib/roster',
        'ROSTER_LISTEN=0.0.0.0:8420',
        'ROSTER_SECRET_FILE=/var/lib/roster/secret',
        'ROSTER_BACKUPS=/var/lib/roster/phones',
        'ROSTER_ADB=',
        'ROSTER_LOG=info,json',
      ],
      Entrypoint: ['/usr/bin/roster'],
      Cmd: ['serve'],
      Volumes: { '/var/lib/roster': {} },
      Labels: { 'org.opencontainers.image.title': 'Roster', 'org.opencontainers.image.version': version, 'org.opencontainers.image.licenses': 'Apache-2.0' },
    },
    rootfs: { type: 'layers', diff_ids: [sha256(readFileSync(file))] },
    history: [{ created, created_by: 'scripts/package' }],
  })
  const layer = keep('application/vnd.oci.image.layer.v1.tar+gzip', readFileSync(`${file}.gz`))
  const manifest = { schemaVersion: 2, mediaType: 'application/vnd.oci.image.manifest.v1+json', config, layers: [layer] }
  return keep(manifest.mediaType, manifest, { platform: { architecture, os: 'linux' } })
})
const index = keep('application/vnd.oci.image.index.v1+json', { schemaVersion: 2, mediaType: 'application/vnd.oci.image.index.v1+json', manifests })
writeFileSync(`${folder}/oci-layout`, JSON.stringify({ imageLayoutVersion: '1.0.0' }))
const named = { ...index, annotations: { 'org.opencontainers.image.ref.name': version } }
writeFileSync(`${folder}/index.json`, JSON.stringify({ schemaVersion: 2, manifests: [named] }))
