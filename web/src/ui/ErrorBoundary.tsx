import { Component, type ReactNode } from 'react'

/** Shows a sentence where a page broke, instead of nothing. */
export class ErrorBoundary extends Component<{ children: ReactNode }, { broken?: Error }> {
  state: { broken?: Error } = {}

  static getDerivedStateFromError(broken: Error) {
    return { broken }
  }

  render() {
    if (!this.state.broken) return this.props.children
    return (
      <div role="alert" style={{ padding: 32 }}>
        <p>
          <b>This page broke.</b> What was saved is safe on the server. ({this.state.broken.message})
        </p>
        <p>
          <a href={location.href} style={{ textDecoration: 'underline' }}>
            Open it again
          </a>
        </p>
      </div>
    )
  }
}
