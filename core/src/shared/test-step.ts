/** One step of the test of a connection or source. */
export interface TestStep {
  name: string;
  ok: boolean;
  message: string;
}
