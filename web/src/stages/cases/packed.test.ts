import { expect, it } from 'vitest'
import { packed } from './packed'

it('documents travel as one file whose first line lists them', async () => {
  const made = packed([
    new File(['zwei'], 'b10.txt'),
    new File(['x'], '.hidden'),
    new File(['Grüße'], 'b9.txt'),
  ])
  expect(made?.name).toBe('2 documents.documents')
  const text = await made?.text()
  expect(text).toBe('[["b9.txt",7],["b10.txt",4]]\nGrüßezwei')
  expect(packed([new File([''], '.DS_Store')])).toBeNull()
})
