<script setup lang="ts">
// When a sign-in ends by itself, where technicians may have a bench reach, and how
// long what benches saved stays.
import { computed, ref, watch } from 'vue'
import { api, ask } from '@/api/client'
import { useChange } from '@/composables/change'
import { useHeld } from '@/composables/held'
import { confirming } from '@/composables/passkeys'
import { useSession } from '@/composables/session'
import { roles, type Role } from '@/format/roles'
import RulesForm from './RulesForm.vue'

const { etag, query } = useHeld('installation-rules', () => api.GET('/api/v1/installation-rules'))
const hours = ref(0)
const networks = ref('')
const backups = ref(0)
const groups = ref('')
const passwords = ref(true)
const needing = ref<Role[]>([])
watch(
  () => query.data.value,
  (now) => {
    if (!now) return
    hours.value = now.idleHours
    networks.value = now.benchNetworks.join('\n')
    backups.value = now.backupDays
    groups.value = now.groupRoles.map((g) => `${g.role} ${g.group}`).join('\n')
    passwords.value = !now.noPasswords
    needing.value = now.passkeyRoles as Role[]
  },
  { immediate: true },
)
const { wrong, said, run } = useChange()
const { session } = useSession()
const provider = computed(() => session.data.value?.provider)
// groupRoles reads a role and a group from each line; the server says of a role
// that is none.
const groupRoles = () =>
  groups.value
    .split('\n')
    .map((line) => /^\s*(\S+)\s+(.*\S)\s*$/.exec(line))
    .flatMap((m) => (m ? [{ role: m[1] as Role, group: m[2]! }] : []))
const hold = () =>
  run(async () => {
    await confirming(() =>
      ask(
        api.PUT('/api/v1/installation-rules', {
          params: { header: { 'If-Match': etag.value } },
          body: {
            idleHours: hours.value,
            benchNetworks: networks.value.split(/[\s,]+/).filter(Boolean),
            backupDays: backups.value,
            noPasswords: !passwords.value,
            groupRoles: groupRoles(),
            passkeyRoles: needing.value,
          },
        }),
      ),
    )
    await query.refetch()
  }, 'It holds from now on.')
</script>

<template>
  <RulesForm
    name="Rules of the installation"
    title="Ways in, and ways out"
    about="How long a sign-in lasts, what benches may reach for whom, and how long they keep what they saved."
    legend="For everybody"
    :ready="!!query.data.value"
    :failed="query.error.value"
    :wrong="wrong"
    :said="said"
    @hold="hold"
  >
    <label>
      <span>a sign-in ends after so many hours in which nobody did anything with it</span>
      <input v-model.number="hours" class="field" type="number" min="1" max="336" required />
    </label>
    <label>
      <span
        >what was saved of a phone is deleted after so many days, 0 for never; nothing that is kept, or that an open run
        or a check list may need</span
      >
      <input v-model.number="backups" class="field" type="number" min="0" max="3650" required />
    </label>
    <label class="networks">
      <span
        >networks in which technicians may have a bench connect to phones by their address, one a line; maintainers may
        anywhere</span
      >
      <textarea
        v-model="networks"
        class="field mono"
        rows="3"
        spellcheck="false"
        placeholder="192.0.2.0/24"
        aria-label="Networks"
      ></textarea>
    </label>
    <div v-if="session.data.value?.passkeys" class="roles" role="group" aria-label="Roles that need a passkey">
      <span>who needs a passkey beside their password; others may have one</span>
      <label v-for="r in roles" :key="r"><input v-model="needing" type="checkbox" :value="r" /> {{ r }}</label>
    </div>
    <template v-if="provider">
      <label class="networks">
        <span>
          which role members of a group at {{ provider }} have: {{ roles.join(', ') }}, and the group, one a line; the
          highest counts, and who is in none does not get in
        </span>
        <textarea
          v-model="groups"
          class="field mono"
          rows="4"
          spellcheck="false"
          placeholder="technician phone-desk"
          aria-label="Roles of groups"
        ></textarea>
      </label>
      <label>
        <span>people may sign in with a password of this installation, too</span>
        <input v-model="passwords" type="checkbox" />
      </label>
    </template>
  </RulesForm>
</template>

<style scoped>
label.networks {
  grid-template-columns: 460px 220px;
  align-items: start;
}
.roles {
  display: flex;
  gap: 12px;
  padding: 3px 0;
}
.roles {
  flex-wrap: wrap;
  align-items: center;
}
.roles > span {
  width: 460px;
}
.roles label {
  display: inline-flex;
  gap: 4px;
  padding: 0;
}
textarea {
  height: auto;
}
</style>
