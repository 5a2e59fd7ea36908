/** One reference token of a JSON Pointer, escaped (RFC 6901 section 3). */
export function pointerToken(name: string | number): string {
  return String(name).replaceAll('~', '~0').replaceAll('/', '~1');
}

/** A JSON Pointer from its unescaped parts; no parts give the empty pointer, which is the whole document. */
export function pointerOf(...parts: (string | number)[]): string {
  return parts.map((part) => `/${pointerToken(part)}`).join('');
}

/** The parts of a JSON Pointer, unescaped; null when the text is not a pointer. */
export function pointerParts(pointer: string): string[] | null {
  if (pointer === '') return [];
  if (!pointer.startsWith('/') || /~(?![01])/.test(pointer)) return null;
  return pointer
    .slice(1)
    .split('/')
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** The value a pointer names (RFC 6901 section 4), own members only; undefined when there is none. */
export function valueAt(document: unknown, pointer: string): unknown {
  const parts = pointerParts(pointer);
  if (!parts) return undefined;
  let value: unknown = document;
  for (const part of parts) {
    if (Array.isArray(value)) value = /^(0|[1-9]\d*)$/.test(part) ? value[Number(part)] : undefined;
    else if (isRecord(value) && Object.hasOwn(value, part)) value = value[part];
    else return undefined;
  }
  return value;
}

/** Whether a value is a JSON object. */
export function isRecord(value: unknown): value is Record<string, unknown> {
  return value !== null && typeof value === 'object' && !Array.isArray(value);
}
