interface Named {
  entity: { name: string };
  home_name: string | null;
}

/** “heron-1 · swift-2”: a pool with its array, anything else by its name alone. */
export function fullName({ entity, home_name: home }: Named): string {
  return home ? `${home} · ${entity.name}` : entity.name;
}
