<script setup lang="ts">
import SheetDialog from '@/evidence/SheetDialog.vue'
import { count, slugWords } from '@/evidence/words'
import type { Schemas } from '@/api/client'
import type { Composition } from './profile'

defineProps<{ profile: Schemas['Composed']; composition: Composition }>()
const emit = defineEmits<{ close: []; publish: [] }>()
</script>

<template>
  <SheetDialog
    :title="`Publish ${profile.name}, no. ${profile.newest + 1}`"
    action="Sign and publish"
    ready
    @close="emit('close')"
    @act="emit('publish')"
  >
    <p>
      {{ count(composition.goes, 'package') }} go from {{ profile.makerName }} {{ profile.modelName }}.
      {{
        composition.lost.length
          ? `It costs ${composition.lost.map((l) => slugWords(l.function)).join(', ')}.`
          : 'Nothing is known to be missed.'
      }}
    </p>
    <p class="second">
      It is signed and public at once, and can never be changed{{
        profile.newest ? `; it replaces no. ${profile.newest}` : ''
      }}.
    </p>
  </SheetDialog>
</template>
