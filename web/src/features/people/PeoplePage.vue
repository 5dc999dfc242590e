<script setup lang="ts">
import { useTitle } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { answer, server, type ProjectView } from '../../shared/http'
import { me, signOut, type Role } from '../../shared/me'
import { useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'
import LinkOnce from './LinkOnce.vue'
import SecondFactor from './SecondFactor.vue'
import TakeOut from './TakeOut.vue'

/** Projects, who is in them, and oneself. */
useTitle('Projects and people · Jaunty Bar')
const { data: found, refetch: look } = useAnswer(
  () => ['projects'],
  (signal) => answer(server.GET('/api/projects', { signal })),
)
const projects = computed(() => found.value ?? [])
const wanted = ref<string | null>(null)
const chosen = computed({
  get: () => wanted.value ?? projects.value[0]?.id ?? null,
  set: (id) => (wanted.value = id),
})
const shown = computed(() => projects.value.find((one) => one.id === chosen.value))
// Who only listens is not told who else is there.
const { data: closer, refetch: lookCloser } = useAnswer(
  () => (shown.value && shown.value.role !== 'listener' ? ['projects', shown.value.id] : null),
  (signal) => answer(server.GET('/api/projects/{project}', { params: { path: { project: shown.value!.id } }, signal })),
)
const project = computed((): ProjectView | null =>
  closer.value?.id === chosen.value ? closer.value : shown.value?.role === 'listener' ? shown.value : null,
)
const link = ref<{ link: string; to: string } | null>(null)
const newName = ref('')
const email = ref('')
const role = ref<Role>('editor')
const ROLES: { value: Role; label: string }[] = [
  { value: 'listener', label: 'listener: hears and remarks' },
  { value: 'editor', label: 'editor: makes and changes cuts' },
  { value: 'owner', label: 'owner: also says who is in' },
]
const owns = computed(() => project.value?.role === 'owner')
const mayMake = computed(() => projects.value.some((one) => one.role !== 'listener'))
const day = (at: string) => new Date(at).toLocaleDateString([], { day: 'numeric', month: 'short' })

async function tried(work: () => Promise<void>) {
  await work().catch(tell)
}
watch(chosen, () => (link.value = null))

const make = () =>
  tried(async () => {
    const made = await answer(server.POST('/api/projects', { body: { name: newName.value } }))
    newName.value = ''
    await look()
    chosen.value = made.id
  })
const invite = () =>
  tried(async () => {
    const [to, path] = [email.value, { project: chosen.value! }]
    const given = await answer(
      server.POST('/api/projects/{project}/invitations', { params: { path }, body: { email: to, role: role.value } }),
    )
    link.value = { link: given.link, to }
    email.value = ''
    await lookCloser()
  })
const takeBack = (key: string) =>
  tried(async () => {
    const path = { project: chosen.value!, key }
    await answer(server.DELETE('/api/projects/{project}/invitations/{key}', { params: { path } }))
    await lookCloser()
  })
const setRole = (person: string, given: Role) =>
  tried(async () => {
    const path = { project: chosen.value!, person }
    await answer(
      server.PUT('/api/projects/{project}/people/{person}', { params: { path }, body: { role: given } }),
    ).finally(() => lookCloser())
  })
const newPassword = (person: string, to: string) =>
  tried(async () => {
    const given = await answer(server.POST('/api/people/{person}/password-key', { params: { path: { person } } }))
    link.value = { link: given.link, to }
  })
</script>

<template>
  <main class="people">
    <header>
      <h1>Projects and people</h1>
      <router-link to="/">All cuts</router-link>
    </header>
    <div class="columns">
      <nav aria-label="Projects">
        <button
          v-for="one in projects"
          :key="one.id"
          :class="['card', 'project', { now: one.id === chosen }]"
          :aria-current="one.id === chosen"
          data-test="project"
          @click="chosen = one.id"
        >
          <b>{{ one.name }}</b>
          <span class="soft">you: {{ one.role }}</span>
        </button>
        <form v-if="mayMake" class="new" @submit.prevent="make">
          <a-input
            v-model:value="newName"
            aria-label="Name of a new project"
            placeholder="a new project"
            data-test="new-project"
          />
          <a-button html-type="submit" :disabled="!newName.trim()" data-test="make-project">Make it</a-button>
        </form>
      </nav>
      <section v-if="project">
        <h2>{{ project.name }}</h2>
        <p v-if="project.role === 'listener'" class="soft">
          You listen to the cuts of this project; <router-link to="/">the list</router-link> shows them.
        </p>
        <table v-else>
          <tbody>
            <tr v-for="one in project.people" :key="one.id" data-test="person">
              <td>
                <b>{{ one.name }}</b><span v-if="one.id === me?.person?.id" class="soft"> (you)</span>
                <div class="soft">{{ one.email }}</div>
              </td>
              <td>
                <a-select
                  v-if="owns"
                  :value="one.role"
                  :options="ROLES"
                  size="small"
                  class="role"
                  :aria-label="`what ${one.name} may do`"
                  data-test="role"
                  @change="(given) => setRole(one.id, given as Role)"
                />
                <span v-else class="soft">{{ ROLES.find((r) => r.value === one.role)?.label }}</span>
              </td>
              <td class="acts">
                <button
                  v-if="me?.person?.keeper && one.id !== me.person.id"
                  class="plain soft"
                  :aria-label="`a new password for ${one.name}`"
                  @click="newPassword(one.id, one.email)"
                >
                  new password
                </button>
                <TakeOut
                  v-if="owns"
                  :project="project.id"
                  :person="one"
                  @out="tried(async () => void (await lookCloser()))"
                />
              </td>
            </tr>
            <tr v-for="one in project.invitations" :key="one.id" data-test="invited">
              <td>
                {{ one.email }}
                <div class="soft">invited, until {{ day(one.expiresAt) }}</div>
              </td>
              <td class="soft">{{ ROLES.find((r) => r.value === one.role)?.label }}</td>
              <td class="acts">
                <button
                  class="plain soft"
                  :aria-label="`take the invitation of ${one.email} back`"
                  @click="takeBack(one.id)"
                >
                  take back
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <template v-if="owns">
          <h3>Invite somebody</h3>
          <form class="invite" @submit.prevent="invite">
            <a-input
              v-model:value="email"
              type="email"
              placeholder="their mail address"
              aria-label="Their mail address"
              data-test="invite-email"
            />
            <a-select
              v-model:value="role"
              :options="ROLES"
              class="role"
              aria-label="what they may do"
              data-test="invite-role"
            />
            <a-button type="primary" html-type="submit" :disabled="!email" data-test="invite">Invite</a-button>
          </form>
          <LinkOnce v-if="link" :link="link.link" :to="link.to" />
          <p class="soft record">
            <a :href="`/api/projects/${project.id}/record.csv`" download data-test="record">The record</a>: who opened,
            changed, handed over and shared what, as CSV.
          </p>
        </template>
      </section>
    </div>
    <section v-if="me?.person" class="self">
      <h2>You</h2>
      <p>
        {{ me.person.name }} <span class="soft">{{ me.person.email }}</span>
      </p>
      <SecondFactor />
      <p>
        <a-button size="small" data-test="sign-out" @click="tried(() => signOut())">Sign out</a-button>
        <button class="plain soft" data-test="sign-out-everywhere" @click="tried(() => signOut(true))">
          sign out of all browsers
        </button>
      </p>
    </section>
  </main>
</template>

<style scoped>
.people {
  max-width: 980px;
  margin: 0 auto;
  padding: 24px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  border-bottom: 1px solid var(--ink);
  margin-bottom: 20px;
}
.columns {
  display: grid;
  grid-template-columns: 240px 1fr;
  gap: 36px;
}
@media (width < 760px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
.project {
  display: grid;
  width: 100%;
  margin-bottom: 8px;
  padding: 8px 14px;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.project.now {
  background: var(--chosen);
  border-color: var(--ink);
}
.project b {
  font-family: var(--serif);
  font-size: 16px;
}
.new,
.invite {
  display: flex;
  gap: 8px;
}
table {
  width: 100%;
  margin: 8px 0 18px;
}
td {
  padding: 7px 14px 7px 0;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}
.acts {
  text-align: right;
  white-space: nowrap;
  padding-right: 0;
}
.role {
  min-width: 250px;
}
.record {
  margin-top: 16px;
}
.self {
  margin-top: 32px;
  padding-top: 16px;
  border-top: 1px solid var(--line);
}
.self h2 {
  font-size: 17px;
}
</style>
