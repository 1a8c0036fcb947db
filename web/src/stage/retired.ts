interface Disposable {
  dispose(): void;
}

/** What is shown no more: let go of once its successors are drawn, for they share its compiled programs. */
export class Retired {
  private things: Disposable[] = [];

  add(things: Disposable[]): void {
    this.things.push(...things);
  }

  release(): void {
    for (const thing of this.things.splice(0)) thing.dispose();
  }
}
