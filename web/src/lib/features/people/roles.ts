import type { Schemas } from '$lib/api/client';

export type Role = Schemas['PersonWriteRequest']['role'];

interface RoleFacts {
  role: Role;
  may: string;
}

/** The roles with what each may do, in the order of what they may. */
export const ROLES: readonly RoleFacts[] = [
  { role: 'tenant viewer', may: 'reads what their own tenants consume' },
  {
    role: 'tenant operator',
    may: 'reads what their own tenants consume, and provisions out of their allotments',
  },
  { role: 'auditor', may: 'reads everything, this log too; changes nothing' },
  { role: 'planner', may: 'reads everything, plans, looks after feeds' },
  { role: 'operator', may: 'as a planner, and carries accepted scenarios out' },
  { role: 'administrator', may: 'as a planner, and looks after people; carries nothing out' },
];

/** Roles of those who see their own tenants alone. */
export const ofTenants = (role: string | null) =>
  role === 'tenant viewer' || role === 'tenant operator';

export const mayOf = (role: string | null) =>
  ROLES.find((one) => one.role === role)?.may ?? 'nothing: without a role there is nothing to see';

export const roleItems = ROLES.map(({ role }) => ({ value: role, name: role }));
