import { createContext } from 'react'

/** dragged is the kind of data that a dragged value is. */
export const dragged = 'text/x-woolsignal-value'

/** CodeContext is how an expression reads the value that is shown, where it can: its parts can then be dragged. */
export const CodeContext = createContext<string | undefined>(undefined)
