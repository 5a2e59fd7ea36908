/** A member of a record by a name that somebody chose; undefined for what only every object has, as `constructor`. */
export const ownMember = <T>(record: Readonly<Record<string, T>>, name: string): T | undefined => (Object.hasOwn(record, name) ? record[name] : undefined);
