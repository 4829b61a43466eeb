import { useState } from 'react'
import { Add } from './add'
import type { Offer } from './offers'
import { useForm } from './use-draft'
import { later } from '../parts/later'

const Connect = later(() => import('../making/connect').then((m) => m.default), null)

interface Shown {
  offers: Offer[]
  label: string
  onAdd: (chosen: Offer[]) => void
  onClose: () => void
}

/** AddHere is the search over what can stand on a line; a connection that is not there yet is made on the way. */
export function AddHere({ offers, label, onAdd, onClose }: Shown) {
  const { names } = useForm()
  const [kind, connect] = useState<string>()
  const [made, setMade] = useState('') // the connection that was made for what comes here
  const add = (chosen: Offer[]) => {
    const wanted = chosen.find((o) => o.connect)?.connect
    if (wanted) connect(wanted)
    else onAdd(chosen)
  }
  if (kind)
    return (
      <Connect
        kind={kind}
        onMade={(id) => {
          setMade(id)
          connect(undefined)
        }}
        onClose={onClose}
      />
    )
  const title = names.find((n) => n.holds === 'connection' && n.name === made)?.title
  return <Add offers={offers} label={label} begin={title ?? made} onAdd={add} onClose={onClose} />
}
