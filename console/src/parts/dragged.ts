import { createContext } from 'react'

/** Readable is how a value is read: by an expression, within reach of the step with a path where it has one. */
export interface Readable {
  code: string
  from?: string
}

const kind = 'application/x-woolsignal-value+json'

/** drag puts a value that can be read into what is dragged. */
export const drag = (e: { dataTransfer: DataTransfer }, value: Readable) =>
  e.dataTransfer.setData(kind, JSON.stringify(value))

/** isDragged tells whether what is dragged is a value. */
export const isDragged = (data: DataTransfer | null): boolean => !!data?.types.includes(kind)

/** droppedOf is the value that was dragged. */
export function droppedOf(data: DataTransfer | null): Readable | undefined {
  const text = data?.getData(kind)
  return text ? (JSON.parse(text) as Readable) : undefined
}

/** ReadableContext is how the value that is shown is read, where it can be: its parts can then be dragged. */
export const ReadableContext = createContext<Readable | undefined>(undefined)
