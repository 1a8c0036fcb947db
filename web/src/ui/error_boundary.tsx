import { Component, type ReactNode } from "react";

/** What cannot be shown leaves a sentence in its place instead of an empty page. */
export class ErrorBoundary extends Component<{ children: ReactNode }, { failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  override render() {
    if (!this.state.failed) return this.props.children;
    return (
      <div role="alert" className="card absolute top-1/2 left-1/2 flex w-96 -translate-1/2 flex-col items-start gap-3 px-5 py-4">
        <p>This page cannot go on: a fault of ours. What was kept is safe with the server.</p>
        <button type="button" onClick={() => location.reload()} className="h-8 rounded-control bg-accent px-3 font-medium text-fog">
          Reload
        </button>
      </div>
    );
  }
}
