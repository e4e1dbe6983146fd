import type { RoleDefinition } from '../design';

/** What a role lets people do to the rows of a table. */
export type TableRights = RoleDefinition['tables'][number];

const ALL = { read: true, add: true, change: true, delete: true } as const;

/** The rights of a role on a table: all of them where it says nothing. */
export const rightsOn = (role: RoleDefinition, table: string): TableRights =>
  role.tables.find((rights) => rights.table === table) ?? { table, ...ALL, own: null, conditions: [] };

/** What people with a role may do with a field, at most. */
export const peopleMay = (role: RoleDefinition, field: string): 'type' | 'read' | 'hidden' =>
  role.fields.find((limit) => limit.field === field)?.people ?? 'type';
