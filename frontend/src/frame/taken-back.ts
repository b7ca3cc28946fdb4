/** What was done and can be taken back, and what was taken back and can be done again. */
export class TakenBack {
  private done: Act[] = []
  private undone: Act[] = []

  /** An act that was just done; what was taken back before it is forgotten. */
  remember(undo: () => Promise<void>, redo: () => Promise<void>) {
    this.done.push({ undo, redo })
    this.undone = []
  }

  /** Take the last act back; false where there is none. What fails stays where it was. */
  async undo(): Promise<boolean> {
    return this.move(this.done, this.undone, 'undo')
  }

  /** Do the act again that was taken back last; false where there is none. */
  async redo(): Promise<boolean> {
    return this.move(this.undone, this.done, 'redo')
  }

  private async move(from: Act[], to: Act[], does: keyof Act) {
    const act = from.pop()
    if (!act) return false
    try {
      await act[does]()
    } catch (error) {
      from.push(act)
      throw error
    }
    to.push(act)
    return true
  }
}

interface Act {
  undo: () => Promise<void>
  redo: () => Promise<void>
}
