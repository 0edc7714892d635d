/** A queue in which sources take turns, however much one of them has put there. */
export class TurnQueue<Task extends { source?: string | undefined }> {
  /** What waits, by source; the source whose turn it is comes first. */
  readonly #waiting = new Map<string, Task[]>();

  get size(): number {
    return [...this.#waiting.values()].reduce((sum, tasks) => sum + tasks.length, 0);
  }

  /** @param isFirst puts it before all else of its source */
  add(task: Task, isFirst = false): void {
    const source = task.source ?? '';
    const queue = this.#waiting.get(source) ?? [];
    if (isFirst) queue.unshift(task);
    else queue.push(task);
    this.#waiting.set(source, queue);
  }

  /** Takes the next task of the source whose turn it is, which then goes to the end; null when nothing waits. */
  take(): Task | null {
    for (const [source, queue] of this.#waiting) {
      const task = queue.shift();
      this.#waiting.delete(source);
      if (queue.length > 0) this.#waiting.set(source, queue);
      if (task) return task;
    }
    return null;
  }

  /** Takes a task out, whosever turn it is. @returns whether it waited */
  remove(task: Task): boolean {
    const source = task.source ?? '';
    const queue = this.#waiting.get(source) ?? [];
    const at = queue.indexOf(task);
    if (at < 0) return false;
    queue.splice(at, 1);
    if (queue.length === 0) this.#waiting.delete(source);
    return true;
  }

  /** Takes everything out. */
  clear(): Task[] {
    const all = [...this.#waiting.values()].flat();
    this.#waiting.clear();
    return all;
  }
}
