import { Component, type ReactNode } from 'react'
import { Trouble } from './states'

/** Boundary keeps a page that breaks from taking the whole console with it. */
export class Boundary extends Component<{ at: string; children: ReactNode }, { error?: Error }> {
  state: { error?: Error } = {}

  componentDidUpdate(before: { at: string }) {
    if (before.at !== this.props.at && this.state.error) this.setState({ error: undefined })
  }

  static getDerivedStateFromError(error: Error) {
    return { error }
  }

  render() {
    if (this.state.error) return <Trouble error={this.state.error} again={() => this.setState({ error: undefined })} />
    return this.props.children
  }
}
