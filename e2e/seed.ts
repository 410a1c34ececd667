// Before all tests: seeds the sample world once, so that each file's own world
// starts from a copy of it.
import { join } from 'node:path'
import { World } from './world'

export default async function seed() {
  const world = new World()
  await world.start()
  await world.end() // a database that is in use can't be copied
  process.env.E2E_SEEDED = JSON.stringify({ database: world.name, secret: join(world.folder, 'secret') })
  return () => world.remove()
}
