/** Says something at the most once in a while: what fails each second is told once a minute. @param ms between two times */
export function seldom(ms: number): (say: () => void) => void {
  let last = -Infinity;
  return (say) => {
    const now = performance.now();
    if (now - last < ms) return;
    last = now;
    say();
  };
}
