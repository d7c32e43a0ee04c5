import { showFile, TYPE } from '../answer-file.ts';
import { CourseChange, CourseDraft, Id, Line } from '@nudrik/contract';
import { z } from 'zod';
import { EDITORS, OFFICE, parse, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { findCourse, findFile, insertFile, listCourses } from './courses.repo.ts';
import { houseToday } from '../people/today.ts';
import { changeCourse, createCourse } from './save-course.ts';

export const courseRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/courses',
    access: OFFICE,
    handle: async ({ deps }) => listCourses(deps.db, deps.clock.now(), await houseToday(deps)),
  },
  {
    method: 'get',
    path: '/api/courses/:id',
    access: OFFICE,
    async handle({ deps, req }) {
      const course = await findCourse(deps.db, parse(Id, req.params['id']));
      if (!course) throw new Refused('not-found', 'There is no such course, or not any more.');
      return course;
    },
  },
  {
    method: 'post',
    path: '/api/courses',
    access: EDITORS,
    handle: async ({ deps, req, account }) => ({
      id: await createCourse(deps, parse(CourseDraft, req.body), account!.name),
    }),
  },
  {
    method: 'put',
    path: '/api/courses/:id',
    access: EDITORS,
    async handle({ deps, req, account }) {
      const id = parse(Id, req.params['id']);
      await changeCourse(deps, id, parse(CourseChange, req.body), account!.name);
      return findCourse(deps.db, id);
    },
  },
  {
    method: 'post',
    path: '/api/files',
    access: EDITORS,
    async handle({ deps, req }) {
      const { name, type } = parse(
        z.object({
          name: Line(255, 'expected a file name'),
          type: z.string().regex(TYPE, 'expected a type like application/pdf').default('application/octet-stream'),
        }),
        req.query,
      );
      const bytes = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
      if (bytes.length === 0)
        throw new Refused('wrong-file', `${name}: the file is empty (0 bytes). Expected a file with something in it; nothing was stored.`);
      return insertFile(deps.db, name, type, bytes);
    },
  },
  {
    method: 'get',
    path: '/api/files/:id',
    access: OFFICE,
    async handle({ deps, req, res }) {
      const file = await findFile(deps.db, parse(Id, req.params['id']));
      if (!file) throw new Refused('not-found');
      showFile(res, file);
      return undefined;
    },
  },
];
