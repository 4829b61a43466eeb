/** dragged is the kind of data that a dragged value is. */
export const dragged = 'text/x-woolsignal-value'
