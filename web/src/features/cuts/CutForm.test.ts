import { mount } from '@vue/test-utils'
import { Button, Checkbox, Form, FormItem, Input, Select } from 'ant-design-vue'
import { describe, expect, it } from 'vitest'
import CutForm from './CutForm.vue'
import { emptyForm, type CutFormValue } from './rates'

const global = {
  components: {
    AForm: Form,
    AFormItem: FormItem,
    AInput: Input,
    ASelect: Select,
    AButton: Button,
    ACheckbox: Checkbox,
  },
}

async function submitted(changes: Partial<CutFormValue>) {
  const value = { ...emptyForm(), ...changes }
  const form = mount(CutForm, {
    props: { modelValue: value, action: 'Make it', busy: false },
    global,
    attachTo: document.body,
  })
  await form.get('form').trigger('submit')
  await new Promise((resolve) => setTimeout(resolve, 100))
  return { form, told: form.emitted('submit')?.[0]?.[0] }
}

describe('the form of a cut', () => {
  it('asks the server with the rate as a fraction', async () => {
    const { told } = await submitted({
      title: 'Clock',
      length: '1:30',
      rate: '30000/1001 df',
      firstTimecode: '01:00:00;00',
      commercial: true,
    })
    expect(told).toEqual({
      title: 'Clock',
      length: '1:30',
      rate: { num: 30000, den: 1001, dropFrame: true },
      firstTimecode: '01:00:00;00',
      commercial: true,
      paidPlan: false,
    })
  })

  it('says what is missing and asks nothing', async () => {
    const { form, told } = await submitted({ title: '', length: '', rate: '25/1' })
    expect(told).toBeUndefined()
    expect(form.text()).toContain('Give the cut a title.')
  })
})
