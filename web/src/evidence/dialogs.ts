import { defineStore } from 'pinia'
import type { Load } from './words'

export interface Subject {
  name: string
  label: string
}

// Which evidence somebody is about to add, from wherever they are.
export const useEvidenceDialogs = defineStore('evidence', {
  state: () => ({
    subject: undefined as Subject | undefined,
    open: '' as '' | 'trial' | 'load',
    proposed: undefined as Load | undefined,
  }),
  actions: {
    trial(subject: Subject) {
      this.$patch({ subject: { name: subject.name, label: subject.label }, open: 'trial' })
    },
    load(subject: Subject, load?: Load) {
      this.$patch({ subject: { name: subject.name, label: subject.label }, open: 'load', proposed: load })
    },
    close() {
      this.open = ''
    },
  },
})
