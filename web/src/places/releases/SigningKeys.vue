<script setup lang="ts">
// The keys that releases are and were signed with; the keeper makes a new one.
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ask } from '@/api/client'
import SheetDialog from '@/ui/SheetDialog.vue'
import { day } from '@/format/dates'
import { count } from '@/format/numbers'
import { useChange } from '@/composables/change'
import { confirming } from '@/composables/passkeys'
import { useSession } from '@/composables/session'
import CopyButton from '@/ui/CopyButton.vue'

const { may } = useSession()
const keys = useQuery({ queryKey: ['keys'], queryFn: () => ask(api.GET('/api/v1/keys')).then((r) => r.items) })
const rotating = ref(false)
const why = ref('')
const { busy, wrong, run } = useChange()
const rotate = () =>
  run(async () => {
    await confirming(() => ask(api.POST('/api/v1/keys', { body: { why: why.value.trim() } })))
    await keys.refetch()
    rotating.value = false
    why.value = ''
  })
</script>

<template>
  <h2>Keys</h2>
  <ul>
    <li v-for="k in keys.data.value ?? []" :key="k.id">
      <span class="mono" :title="k.publicKey">{{ k.id }}</span>
      <CopyButton :text="k.publicKey" :what="`the public key ${k.id}`" />
      <p class="second">
        {{ k.retiredAt ? `retired ${day(k.retiredAt)}: ${k.retiredWhy || 'no reason given'}` : 'in use' }};
        {{ count(k.releases, 'release') }}
      </p>
    </li>
  </ul>
  <p class="second"><a href="/keys" target="_blank">What is public of them</a></p>
  <button v-if="may('keeper')" class="act" @click="rotating = true">Make a new key</button>
  <SheetDialog
    v-if="rotating"
    title="A new signing key"
    action="Retire the old, make a new one"
    :ready="why.trim() !== ''"
    :busy="busy"
    :wrong="wrong"
    @close="rotating = false"
    @act="rotate"
  >
    <p>The old key signs the new one, and nothing more. What it has signed stays good.</p>
    <v-text-field v-model="why" v-focus label="Why, for everybody who checks signatures" maxlength="500" />
  </SheetDialog>
</template>
