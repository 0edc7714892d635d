/** A queue in which sources take turns, however many tasks each has queued. */
export class TurnQueue<Task extends { source?: string | undefined }> {
  /** Queued tasks by source; the source whose turn it is comes first. */
  readonly #waiting = new Map<string, Task[]>();

  get size(): number {
    return [...this.#waiting.values()].reduce((sum, tasks) => sum + tasks.length, 0);
  }

  /** @param isFirst puts the task before all others of its source */
  add(task: Task, isFirst = false): void {
    const source = task.source ?? '';
    const queue = this.#waiting.get(source) ?? [];
    if (isFirst) queue.unshift(task);
    else queue.push(task);
    this.#waiting.set(source, queue);
  }

  /** Takes the next task of the source whose turn it is, and moves that source to the end; null when the queue is empty. */
  take(): Task | null {
    for (const [source, queue] of this.#waiting) {
      const task = queue.shift();
      this.#waiting.delete(source);
      if (queue.length > 0) this.#waiting.set(source, queue);
      if (task) return task;
    }
    return null;
  }

  /** Removes a task, whosever turn it is. @returns whether it was queued */
  remove(task: Task): boolean {
    const source = task.source ?? '';
    const queue = this.#waiting.get(source) ?? [];
    const at = queue.indexOf(task);
    if (at < 0) return false;
    queue.splice(at, 1);
    if (queue.length === 0) this.#waiting.delete(source);
    return true;
  }

  /** Removes everything. */
  clear(): Task[] {
    const all = [...this.#waiting.values()].flat();
    this.#waiting.clear();
    return all;
  }
}
