import { crc32, deflateSync } from 'node:zlib';

/** An owner of a team, as anybody may try the portal. */
export const PORTAL_OWNER = { name: 'school.teacher', shownName: 'Teacher at the canal', password: 'lessons-on-water', team: 'Basin schools' };
const MEMBER = { name: 'school.pupil', shownName: 'Pupil at the canal', password: 'lessons-on-water', team: 'Basin schools' };
const OTHER = { name: 'data.editor', shownName: 'Editor of the open data', password: 'volumes-for-all', team: 'Open data site' };
const WAITING = { name: 'bakery', shownName: 'Bakery at gate four', password: 'bread-and-water', team: 'Bakery at gate four' };

const WELCOME = `The basin's water in numbers: volumes by day, readings of meters, rights and their balances.

Find an API below, read what it takes, and ask for a plan. [First steps](/pages/first-steps) says how.`;

const FIRST_STEPS = `Three steps lead to a first call.

1. **Make a program.** Each program that calls has keys and counts of its own.
2. **Ask for a plan** at the API, under *Getting in*. Say what you need it for.
3. **Make a key** for the program, and put it away: it is shown once.

| What you read | What it means |
| --- | --- |
| 401 | there is no key, or a wrong one |
| 403 | the program has no plan for this |
| 429 | too many calls; \`Retry-After\` says when to come again |

Keys belong into the program's surroundings and never into a page that others read.`;

const TERMS = `Numbers are given as they were measured, without a promise.

- Say where they come from: *Velmora Basin Water Trust*.
- Do not call more often than your plan allows.
- Tell us when a key gets into wrong hands, and revoke it.`;

/** The portal as consumers find it: who sees what, pages, teams with their people, and somebody who waits. */
export async function addPortal(control, portalUrl, { readings, allotments, providerId }) {
  await control.send('PATCH', '/portal/settings', {
    name: 'Velmora Basin Water Trust',
    mark: `data:image/png;base64,${drop(96).toString('base64')}`,
    colour: '#2f7f86',
    welcome: WELCOME,
    contact: 'apis@velmora.example',
    registration: 'by-hand',
    providers: [
      {
        providerId,
        label: 'Sign in as a grower or as staff',
        clientId: 'water-portal',
        secret: 'portal-demo-secret',
        scopes: ['openid'],
        signIn: true,
        registration: true,
      },
    ],
  });
  await control.send('POST', '/portal/pages', { title: 'First steps', text: FIRST_STEPS, seen: 'everybody', position: 1 });
  await control.send('POST', '/portal/pages', { title: 'Terms', text: TERMS, seen: 'everybody', position: 2 });
  await control.send('POST', '/portal/notices', { text: 'Meters of the south canal are read again since Monday.', tone: 'news', fromAt: null, untilAt: null });
  const school = await teamOf(control, portalUrl, [PORTAL_OWNER, MEMBER]);
  const data = await teamOf(control, portalUrl, [OTHER]);
  await control.send('PUT', `/portal/apis/${readings}`, { seen: 'everybody', teams: [] });
  await control.send('PUT', `/portal/apis/${allotments}`, { seen: 'teams', teams: [school, data] });
  await control.send('PUT', '/portal/clients/school-of-the-canal/team', { teamId: school });
  await control.send('PUT', '/portal/clients/open-data-site/team', { teamId: data });
  await call(portalUrl, 'POST', '/registrations', { ...WAITING, reason: 'We draw the level of the canal on the bread' });
  return [PORTAL_OWNER, MEMBER, OTHER, WAITING].map(({ name, password, team }) => ({ name, password, team }));
}

/** A team with people who took their invitations; the first is its owner. */
async function teamOf(control, portalUrl, people) {
  const { id } = await control.send('POST', '/portal/teams', { name: people[0].team });
  for (const [index, { name, shownName, password }] of people.entries()) {
    const { link } = await control.send('POST', `/portal/teams/${id}/invitations`, { role: index === 0 ? 'owner' : 'member', note: shownName });
    await call(portalUrl, 'POST', '/invitations/account', { token: link.split('#')[1], name, shownName, password });
  }
  return id;
}

async function call(portalUrl, method, path, body) {
  for (let turn = 0; ; turn++) {
    const answer = await fetch(`${portalUrl}/portal/v1${path}`, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
    if (answer.ok) return;
    if (answer.status !== 429 || turn > 5) throw new Error(`${method} ${path}: ${answer.status} ${await answer.text()}`);
    await new Promise((resolve) => setTimeout(resolve, Number(answer.headers.get('retry-after')) * 1000));
  }
}

/** A drop of water above a line as a PNG (the standard's own chunks: header, data, end). */
function drop(size) {
  const rows = [];
  for (let y = 0; y < size; y++) {
    const row = Buffer.alloc(1 + size * 4);
    for (let x = 0; x < size; x++) {
      const [u, v] = [(x + 0.5) / size - 0.5, (y + 0.5) / size];
      const wide = v < 0.6 ? 0.3 * Math.pow(v / 0.6, 1.4) : Math.sqrt(Math.max(0, 0.3 ** 2 - (v - 0.6) ** 2 * 0.9));
      const inside = v > 0.04 && v < 0.92 && Math.abs(u) < wide;
      if (inside) row.set([47, 127, 134, 255], 1 + x * 4);
    }
    rows.push(row);
  }
  const head = Buffer.alloc(13);
  head.writeUInt32BE(size, 0);
  head.writeUInt32BE(size, 4);
  head.set([8, 6, 0, 0, 0], 8);
  return Buffer.concat([
    Buffer.from('89504e470d0a1a0a', 'hex'),
    chunk('IHDR', head),
    chunk('IDAT', deflateSync(Buffer.concat(rows))),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

function chunk(kind, data) {
  const named = Buffer.concat([Buffer.from(kind, 'latin1'), data]);
  const [length, check] = [Buffer.alloc(4), Buffer.alloc(4)];
  length.writeUInt32BE(data.length);
  check.writeUInt32BE(crc32(named) >>> 0);
  return Buffer.concat([length, named, check]);
}
