/** A confidence, never rounded up: below a threshold it must not look as if it had reached it. */
export function confidence(c: number): string {
  return (Math.floor(c * 100 + 1e-9) / 100).toFixed(2)
}
