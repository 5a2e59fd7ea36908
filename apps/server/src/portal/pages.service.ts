import { Injectable } from '@nestjs/common';
import type { NoticeInput, NoticeView, PageInput, PageText, PageView, PortalSession } from '@virga/protocol';
import { slug } from '../control/apis/import-mapping.js';
import { fieldProblem, notFound, problem } from '../http/problems.js';
import { NoticeRow, PageRow } from '../store/models/portal.js';
import { logPortal } from '../store/portal-store.js';
import { Store } from '../store/store.js';
import { newId } from './accounts.service.js';
import { isKnown } from './is-known.js';

const PAGES = 100;
const NOTICES = 50;

/** Pages that the operator writes, and notices. */
@Injectable()
export class PagesService {
  constructor(private readonly store: Store) {}

  async pages(): Promise<PageView[]> {
    const rows = await PageRow.findAll({
      order: [
        ['position', 'ASC'],
        ['title', 'ASC'],
      ],
      raw: true,
    });
    return rows.map(pageView);
  }

  /** Those that somebody may read. */
  async readable(session: PortalSession | null): Promise<PageView[]> {
    return (await this.pages()).filter(({ seen }) => seen === 'everybody' || isKnown(session));
  }

  async read(slugOf: string, session: PortalSession | null): Promise<PageText> {
    const page = (await this.readable(session)).find((one) => one.slug === slugOf);
    if (!page) throw notFound('page');
    const { title, text, changedAt } = page;
    return { slug: slugOf, title, text, changedAt };
  }

  async add(input: PageInput, by: string): Promise<PageView> {
    return this.store.write(async (transaction) => {
      if ((await PageRow.count({ transaction })) >= PAGES) throw problem(409, 'Too many pages', `There are at most ${PAGES}.`);
      const base = slug(input.title, 'page').slice(0, 60);
      const taken = new Set((await PageRow.findAll({ attributes: ['slug'], raw: true, transaction })).map((row) => row.slug));
      let own = base;
      for (let index = 2; taken.has(own); index++) own = `${base}-${index}`;
      const row = await PageRow.create({ slug: own, ...factsOf(input), changedAt: Date.now(), changedBy: by }, { transaction });
      await logPortal({ by, side: 'operator', teamId: null, words: `the page ${input.title} made` }, transaction);
      return pageView(row);
    });
  }

  async set(slugOf: string, input: PageInput, by: string): Promise<PageView> {
    return this.store.write(async (transaction) => {
      const row = await PageRow.findByPk(slugOf, { transaction });
      if (!row) throw notFound('page');
      await row.update({ ...factsOf(input), changedAt: Date.now(), changedBy: by }, { transaction });
      await logPortal({ by, side: 'operator', teamId: null, words: `the page ${input.title} changed` }, transaction);
      return pageView(row);
    });
  }

  async remove(slugOf: string, by: string): Promise<void> {
    await this.store.write(async (transaction) => {
      const row = await PageRow.findByPk(slugOf, { transaction });
      if (!row) throw notFound('page');
      await row.destroy({ transaction });
      await logPortal({ by, side: 'operator', teamId: null, words: `the page ${row.title} taken away` }, transaction);
    });
  }

  async notices(): Promise<NoticeView[]> {
    return (await NoticeRow.findAll({ order: [['madeAt', 'DESC']], raw: true })).map(noticeView);
  }

  /** Those that stand now. */
  async standing(now: number): Promise<NoticeView[]> {
    return (await this.notices()).filter(({ fromAt, untilAt }) => (fromAt === null || fromAt <= now) && (untilAt === null || untilAt > now));
  }

  async addNotice({ text, tone, fromAt = null, untilAt = null }: NoticeInput, by: string): Promise<NoticeView> {
    if (fromAt !== null && untilAt !== null && untilAt <= fromAt) throw fieldProblem('/untilAt', 'It ends before it begins');
    return this.store.write(async (transaction) => {
      if ((await NoticeRow.count({ transaction })) >= NOTICES) throw problem(409, 'Too many notices', `There are at most ${NOTICES}. Take old ones away.`);
      const row = await NoticeRow.create({ id: newId(), text, tone, fromAt, untilAt, madeAt: Date.now() }, { transaction });
      await logPortal({ by, side: 'operator', teamId: null, words: `a notice made: ${text.slice(0, 100)}` }, transaction);
      return noticeView(row);
    });
  }

  async removeNotice(id: string, by: string): Promise<void> {
    await this.store.write(async (transaction) => {
      const row = await NoticeRow.findByPk(id, { transaction });
      if (!row) throw notFound('notice');
      await row.destroy({ transaction });
      await logPortal({ by, side: 'operator', teamId: null, words: `a notice taken away: ${row.text.slice(0, 100)}` }, transaction);
    });
  }
}

const factsOf = ({ title, text, seen, position }: PageInput): PageInput => ({ title, text, seen, position });

function pageView({ slug: own, title, text, seen, position, changedAt, changedBy }: PageRow): PageView {
  return { slug: own, title, text, seen, position, changedAt: Number(changedAt), changedBy };
}

function noticeView({ id, text, tone, fromAt, untilAt }: NoticeRow): NoticeView {
  return { id, text, tone, fromAt: fromAt === null ? null : Number(fromAt), untilAt: untilAt === null ? null : Number(untilAt) };
}
