import { yamlPath } from './openapi-help';
import { wordsAt } from './openapi-words';

const TEXT = `openapi: 3.1.1
info:
  title: Meters
paths:
  # What there is.
  /meters/{meterId}:
    get:
      parameters:
        - name: meterId
          in: path
          schema:
            type: string
      responses:
        '200':
          content:
            application/json:
              schema:
                properties:
                  rows:
                    items:
                      type: object
components:
  securitySchemes:
    trust:
      type: http
`.split('\n');
const at = (line: string, indent: number): string[] => yamlPath(TEXT, TEXT.findIndex((one) => one.includes(line)) + 1, indent);
const names = (path: readonly string[]): string[] => wordsAt(path).map(({ name }) => name);

describe('help with a description (OpenAPI 3.1.2 section 4.8)', () => {
  it('knows the objects around a line of YAML by how far it is indented', () => {
    expect(at('title: Meters', 0)).toEqual([]);
    expect(at('title: Meters', 2)).toEqual(['info']);
    expect(at('    get:', 6)).toEqual(['paths', '/meters/{meterId}', 'get']);
    expect(at('in: path', 10)).toEqual(['paths', '/meters/{meterId}', 'get', 'parameters', '*']);
    expect(at('type: string', 12)).toEqual(['paths', '/meters/{meterId}', 'get', 'parameters', '*', 'schema']);
    expect(at('type: object', 22)).toEqual([
      'paths',
      '/meters/{meterId}',
      'get',
      'responses',
      '200',
      'content',
      'application/json',
      'schema',
      'properties',
      'rows',
      'items',
    ]);
    expect(at('type: http', 6)).toEqual(['components', 'securitySchemes', 'trust']);
  });

  it('offers what may stand there, and nothing where names are one’s own', () => {
    expect(names([])).toContain('paths');
    expect(names(['info'])).toEqual(expect.arrayContaining(['title', 'version']));
    expect(names(['paths'])).toEqual([]);
    expect(names(['paths', '/x'])).toEqual(expect.arrayContaining(['get', 'post', 'parameters']));
    expect(names(['paths', '/x', 'get', 'parameters', '*'])).toEqual(expect.arrayContaining(['name', 'in', 'schema']));
    expect(names(['components', 'schemas', 'Row', 'properties', 'at'])).toContain('format');
    expect(names(['components', 'schemas', 'Row', 'allOf', '*', 'items'])).toContain('properties');
    expect(names(['components', 'securitySchemes', 'trust'])).toContain('openIdConnectUrl');
    expect(names(['paths', '/x', 'get', 'tags'])).toEqual([]);
    expect(names(['nothing', 'like', 'this'])).toEqual([]);
  });
});
