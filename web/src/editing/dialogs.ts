import { defineStore } from 'pinia'
import type { Load } from '@/format/vocabulary'

export interface Subject {
  name: string
  label: string
}

// Fields whose value an edit of several packages at once can set.
export type SharedField = 'origin' | 'functions' | 'countries'

// Which evidence somebody is about to add, to which packages, from wherever
// they are.
export const useEvidenceDialogs = defineStore('evidence', {
  state: () => ({
    subjects: [] as Subject[],
    open: '' as '' | 'trial' | 'load' | 'source' | SharedField,
    proposed: undefined as Load | undefined,
  }),
  getters: {
    // title says whom a dialog is about.
    title: (state) => {
      const [first] = state.subjects
      return state.subjects.length > 1 ? `${state.subjects.length} packages` : first?.label || first?.name || ''
    },
  },
  actions: {
    show(what: typeof this.open, subjects: Subject[], load?: Load) {
      if (!subjects.length) return
      this.$patch((state) => {
        state.subjects = subjects.map((s) => ({ name: s.name, label: s.label }))
        state.open = what
        state.proposed = load
      })
    },
    trial(...subjects: Subject[]) {
      this.show('trial', subjects)
    },
    load(subjects: Subject[], load?: Load) {
      this.show('load', subjects, load)
    },
    source(subject: Subject) {
      this.show('source', [subject])
    },
    close() {
      this.open = ''
    },
  },
})
