import { connect, createServer, type AddressInfo, type Socket } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { announce } from '../db/db.ts';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { listen } from './listen.ts';

let house: TestHouse;
beforeAll(async () => {
  house = await openTestHouse();
});
afterAll(() => house.close());

const log = { info: () => undefined, warn: () => undefined, error: () => undefined };
const until = async (is: () => boolean): Promise<void> => {
  while (!is()) await new Promise((resolve) => setTimeout(resolve, 10));
};

describe('listening', () => {
  it('hears what is announced; a connection that falls silent without an end is found and replaced', async () => {
    const target = new URL(house.databaseUrl);
    const port = Number(target.port);
    const sockets: Socket[] = [];
    let isSilent = false;
    let connections = 0;
    const proxy = createServer((from) => {
      connections += 1;
      const to = connect(port, target.hostname);
      sockets.push(from, to);
      // what falls silent swallows everything and closes nothing
      const mine = connections;
      from.on('data', (data) => void (isSilent && mine === 1 ? null : to.write(data)));
      to.on('data', (data) => void (isSilent && mine === 1 ? null : from.write(data)));
      for (const end of [from, to]) end.on('error', () => undefined);
      from.on('close', () => to.destroy());
    });
    await new Promise<void>((resolve) => proxy.listen(0, '127.0.0.1', resolve));
    target.port = String((proxy.address() as AddressInfo).port);
    const heard: string[] = [];
    const stop = listen(target.href, log, (topics) => heard.push(topics.join(' ')), 150);
    await until(() => heard.length === 1);
    await announce(house.db, 'people');
    await until(() => heard.includes('people'));

    isSilent = true;
    // found by the heartbeat; on a busy machine the next one may seem silent too
    await until(() => connections >= 2);
    await until(() => heard.length >= 3); // told to look: nobody knows what was missed
    await announce(house.db, 'courses');
    await until(() => heard.includes('courses'));
    await stop();
    expect(connections).toBeGreaterThanOrEqual(2);
    for (const socket of sockets) socket.destroy();
    await new Promise((resolve) => proxy.close(resolve));
  });
});
