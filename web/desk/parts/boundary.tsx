import { Component, type ReactNode } from "react";

interface Props {
  /** "The place Runs" */
  what: string;
  children: ReactNode;
}

/** Keeps an error in one part of the page from taking the rest along. */
export class Boundary extends Component<Props, { problem: string | null }> {
  override state = { problem: null as string | null };

  static getDerivedStateFromError(reason: unknown) {
    return { problem: reason instanceof Error ? reason.message : String(reason) };
  }

  override render() {
    if (this.state.problem === null) return this.props.children;
    return <p className="problem" role="alert">{this.props.what} can’t be shown: {this.state.problem}; <b>reload the page</b></p>;
  }
}
