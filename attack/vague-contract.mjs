// Operations of which a contract says something that nobody can read.
const schema = (said) => ({ requestBody: { content: { 'application/json': { schema: said } } } });
const members = (opening) => schema({ type: 'object', properties: { opening } });
const BODY = '{"opening":500}';

/** What an operation says, and a body that would pass where that counted as nothing asked; null for no body. */
const VAGUE = [
  [{ parameters: [{ name: 'gate', in: 'query', required: 'yes', schema: {} }] }, null],
  [{ parameters: [{ name: 'gate', in: 'header', required: null, schema: {} }] }, null],
  [{ parameters: [{ $ref: 7 }] }, null],
  [{ requestBody: { required: 'true', content: { 'application/json': {} } } }, null],
  [{ requestBody: { content: { 'application/json': null } } }, BODY],
  [{ requestBody: { $ref: ['#/components/requestBodies/Take'] } }, BODY],
  [schema({ $ref: 7 }), BODY],
  [schema({ $ref: '#/components/schemas/Gone' }), BODY],
  [schema({ not: { $ref: '#/components/schemas/Gone' } }), BODY],
  [schema({ if: { type: 'gate' }, then: false }), BODY],
  [schema({ oneOf: [{ type: 'object' }, { $ref: '#/components/schemas/Gone' }] }), BODY],
  [members({ exclusiveMaximum: '100' }), BODY],
  [members({ readOnly: 'true' }), BODY],
  [members({ type: 'integer', format: ['int32'] }), BODY],
  [members({ type: 'integer', required: true }), '{}'],
  [members({ type: 'integer', required: 'true' }), '{}'],
];
/** One that says something that can be read, so that what is refused of the others is shown to be for what they say. */
const PLAIN = [members({ type: 'integer' }), BODY];

/** Paths by what is asked of them. */
export const vagueCalls = (root) => VAGUE.map(([said, body], index) => ({ path: `${root}/vague-${index}`, body, said: JSON.stringify(said) }));
export const plainCall = (root) => ({ path: `${root}/vague-none`, body: PLAIN[1] });

const answered = (said) => ({ post: { ...said, responses: { default: { description: '' } } } });
/** Members of `paths`, as JSON without the braces around them. */
export const VAGUE_PATHS = JSON.stringify({
  ...Object.fromEntries(VAGUE.map(([said], index) => [`/vague-${index}`, answered(said)])),
  '/vague-none': answered(PLAIN[0]),
}).slice(1, -1);
