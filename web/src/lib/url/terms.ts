/** The terms that narrow to a thing: pools are named alike on many arrays. */
export function termsTo(
  member: { kind: string; name: string },
  above: { kind: string; name: string } | null,
  isExcluding: boolean,
): { key: string; text: string; isExcluding: boolean }[] {
  if (member.kind === 'pool' && above?.kind === 'array')
    return [{ key: 'pool', text: `${above.name}·${member.name}`, isExcluding }];
  return [{ key: member.kind, text: member.name, isExcluding }];
}
