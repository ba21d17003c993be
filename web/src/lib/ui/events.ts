/** The text of an input or select that an event came from. */
export function textOf(event: Event): string {
  const from = event.target;
  return from instanceof HTMLInputElement || from instanceof HTMLSelectElement ? from.value : '';
}
