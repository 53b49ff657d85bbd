import Joi from 'joi';
import {
  addPerson,
  allGroups,
  allPeople,
  changePerson,
  deleteGroup,
  keepGroup,
  type GroupWish,
  type PersonWish,
} from '../../access/directory';
import { inviteMember } from '../../access/members';
import type { RoleId } from '../../database/catalogue';
import { wholeNumber } from '../../base/numbers';
import { endpoint, workspaceEndpoint } from '../../http/endpoint';
import { numberAt } from '../workspaces';

const name = Joi.string().trim().min(1).max(120);
const email = Joi.string().trim().email({ tlds: false }).max(200);
const post = Joi.string().allow('').trim().max(120);

export const getPeople = endpoint({
  method: 'GET',
  path: '/api/people',
  summary: 'Everybody in the Directory, deactivated ones too; for those who manage it',
  answers: '{items: [{id, name, email, post, manages, signsIn, deactivatedAt, seenAt, groups}], next: null}',
  answer: async ({ pool, person }) => ({ items: await allPeople(pool, person), next: null }),
});

export const postPerson = endpoint({
  method: 'POST',
  path: '/api/people',
  summary: 'Add somebody to the Directory; with `invite` a message goes out with an address to set a password at',
  body: Joi.object({ name: name.required(), email: email.required(), post, invite: Joi.boolean().default(true) }),
  answers: 'the person',
  answer: ({ event, pool, person, body }) => {
    const { invite, ...wish } = body as { name: string; email: string; post?: string; invite: boolean };
    return addPerson(pool, person, wish, invite ? event.url.origin : null);
  },
});

export const patchPerson = endpoint({
  method: 'PATCH',
  path: '/api/people/{person}',
  summary: 'Change what is known of somebody; one who is deactivated is out everywhere within a second',
  body: Joi.object({ name, post, manages: Joi.boolean(), deactivated: Joi.boolean() }).min(1),
  answers: 'the person',
  answer: ({ pool, person, params, body }) => changePerson(pool, person, numberAt(params.person), body as PersonWish),
});

export const getGroups = endpoint({
  method: 'GET',
  path: '/api/groups',
  summary: 'The groups of the Directory, by name',
  answers: '{items: [{id, label, description, follows, people}], next: null}',
  answer: async ({ pool }) => ({ items: await allGroups(pool), next: null }),
});

const groupBody = {
  label: Joi.string().trim().min(1).max(120),
  description: Joi.string().allow('').max(500),
  follows: Joi.boolean().description('the sign-in of the organisation says who is in it'),
  people: Joi.array().items(wholeNumber).max(10_000).description('all who are in it, by their numbers'),
};

export const postGroup = endpoint({
  method: 'POST',
  path: '/api/groups',
  summary: 'Make a group; for those who manage the Directory',
  body: Joi.object({ ...groupBody, label: groupBody.label.required() }),
  answers: 'the group',
  answer: ({ pool, person, body }) => keepGroup(pool, person, null, body as GroupWish),
});

export const patchGroup = endpoint({
  method: 'PATCH',
  path: '/api/groups/{group}',
  summary: 'Change a group, or who is in it; who comes or goes is in, or out of, what it was given at once',
  body: Joi.object(groupBody).min(1),
  answers: 'the group',
  answer: ({ pool, person, params, body }) => keepGroup(pool, person, numberAt(params.group), body as GroupWish),
});

export const deleteDirectoryGroup = endpoint({
  method: 'DELETE',
  path: '/api/groups/{group}',
  summary: 'Delete a group; whoever was in a workspace by it alone is out',
  answers: '{}',
  answer: async ({ pool, person, params }) => {
    await deleteGroup(pool, person, numberAt(params.group));
    return {};
  },
});

export const postInvitation = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/invitations',
  summary: 'Invite somebody by address: they are in at once, and a message goes out; one who is new sets a password',
  needs: 'people',
  body: Joi.object({ email: email.required(), name, role: Joi.string().max(63).required() }),
  answers: 'the member',
  answer: ({ event, pool, access, body }) =>
    inviteMember(pool, access, body as { email: string; name?: string; role: RoleId }, event.url.origin),
});
