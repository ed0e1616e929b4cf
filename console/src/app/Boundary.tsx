// A page that cannot be shown says so in its place, and the frame around it stays: its script could not be fetched because the service
// has ended or was updated, or there is a fault in the page.
import { Component, type ReactNode } from "react";
import { Button } from "../parts/basics";

interface Props {
  /** Another place is tried anew. */
  place: string;
  children: ReactNode;
}

export class Boundary extends Component<Props, { error: Error | null; place: string }> {
  override state = { error: null as Error | null, place: this.props.place };

  static getDerivedStateFromError(error: unknown) {
    return { error: error instanceof Error ? error : new Error(String(error)) };
  }

  static getDerivedStateFromProps(props: Props, state: { place: string }) {
    return props.place === state.place ? null : { error: null, place: props.place };
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    const unfetched = /import|fetch|load/i.test(error.message);
    return (
      <div role="alert" className="p-6">
        <h1 className="text-xl font-semibold">This page cannot be shown.</h1>
        <p className="mt-1">
          {unfetched
            ? "It could not be fetched: the service does not answer, or it was updated meanwhile."
            : `Something went wrong in it: ${error.message}.`}
        </p>
        <Button tone="ink" className="mt-3" onClick={() => location.reload()}>
          Load it again
        </Button>
      </div>
    );
  }
}
