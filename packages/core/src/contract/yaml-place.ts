import { isAlias, isMap, isScalar, isSeq, type Document, type YAMLMap, type YAMLSeq } from 'yaml';
import { pointerParts } from '../util/json-pointer.js';

/** Where a pointer leads in a YAML document. */
export interface YamlPlace {
  /** Its parts as the document has them: places in lists as numbers, and names as what they were written as, as `200` without quotes. */
  readonly path: readonly unknown[];
  /** What stands there, behind aliases; undefined for nothing. */
  readonly node: unknown;
  /** What holds it, or would; null where there is nothing of that kind. */
  readonly parent: YAMLMap | YAMLSeq | null;
}

export function yamlPlace(document: Document, pointer: string): YamlPlace {
  const behind = (node: unknown): unknown => (isAlias(node) ? node.resolve(document) : node);
  const path: unknown[] = [];
  let node = behind(document.contents);
  let parent: YamlPlace['parent'] = null;
  for (const part of pointerParts(pointer) ?? []) {
    const written = isMap(node) ? node.items.map(({ key }) => (isScalar(key) ? key.value : key)).find((key) => String(key) === part) : undefined;
    const key = isSeq(node) ? Number(part) : (written ?? part);
    path.push(key);
    parent = isMap(node) || isSeq(node) ? node : null;
    node = behind(parent?.get(key, true));
  }
  return { path, node, parent };
}
