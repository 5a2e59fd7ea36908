import { completeCondition } from '../condition/complete-condition.js';
import { OPEN_SCOPE, type ConditionScope } from '../condition/condition-input.js';
import { unnamedMembers } from '../condition/unnamed-members.js';
import { bodyMembers } from './body-members.js';
import { referenceOperation } from './reference.js';

const DOCUMENT = {
  openapi: '3.1.0',
  info: { title: 'Moves', version: '1' },
  paths: {
    '/moves': {
      post: {
        requestBody: {
          content: {
            'application/json': {
              schema: {
                type: 'object',
                properties: {
                  opening: { type: 'number', maximum: 100, description: 'Percent' },
                  id: { type: 'string', readOnly: true },
                  by: {
                    type: 'object',
                    properties: { name: { type: 'string' }, crew: { oneOf: [{ type: 'object', properties: { head: { type: 'string' } } }] } },
                  },
                  steps: { type: 'array', items: { type: 'object', properties: { gate: { type: 'string' } } } },
                  labels: { type: 'object', additionalProperties: { type: 'string' } },
                  notes: {},
                },
              },
            },
            'application/x-www-form-urlencoded': { schema: { type: 'object', properties: { opening: { type: 'string' }, plain: { type: 'string' } } } },
          },
        },
        responses: {},
      },
      get: { responses: {} },
    },
  },
};
const members = bodyMembers(referenceOperation(DOCUMENT, 'POST', '/moves') ?? { bodies: [] });
const scope: ConditionScope = { ...OPEN_SCOPE, bodyMembers: members };

test('members of bodies are those that a caller writes, of all its types, those of items left out', () => {
  expect(members.map(({ path, type }) => `${path.join('.')}: ${type}`)).toEqual([
    'opening: number',
    'by: object',
    'by.name: string',
    'by.crew: anything',
    'by.crew.head: string',
    'steps: list of object',
    'labels: object',
    'labels.*: string',
    'notes: anything',
    'plain: string',
  ]);
  expect(bodyMembers(referenceOperation(DOCUMENT, 'GET', '/moves') ?? { bodies: [] })).toEqual([]);
});

test('they are offered while a condition is written', () => {
  const offered = (source: string) => completeCondition(source, source.length, scope).words.map(({ word }) => word);
  expect(offered('request.body.')).toEqual(['opening', 'by', 'steps', 'labels', 'notes', 'plain']);
  expect(offered('request.body.by.')).toEqual(['name', 'crew']);
  expect(offered('request.body.by.crew.')).toEqual(['head']);
  expect(offered('request.body.labels.')).toEqual([]);
  expect(completeCondition('request.body.op', 15, scope).words.find(({ word }) => word === 'opening')).toMatchObject({ detail: 'number', about: 'Percent' });
});

test('what is looked at and named by nobody is told', () => {
  const unnamed = (source: string) => unnamedMembers(source, scope);
  expect(unnamed('request.body.opening <= 50 && request.body.by.name == "x" && request.body.by.crew.head == "y"')).toEqual([]);
  expect(unnamed('!has(request.body.openning)')).toEqual(['openning']);
  expect(unnamed('request.body.by.nam == "x" || request.body["wide"] == 1')).toEqual(['by.nam', 'wide']);
  // Where no more is said, anything may stand.
  expect(unnamed('request.body.notes.any.thing == 1 && request.body.labels.anything == "x" && request.body.steps[0].gate == "G"')).toEqual([]);
  expect(unnamed('request.body.labels.anything.more == "x"')).toEqual([]);
  expect(unnamedMembers('request.body.openning == 1', OPEN_SCOPE)).toEqual([]);
  expect(unnamed('request.method == "POST"')).toEqual([]);
  expect(unnamed('request.body.openning ==')).toEqual([]);
});
