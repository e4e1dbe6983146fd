import { isAbsolute } from 'node:path';
import { readSettings } from './settings';

describe('settings', () => {
  it('need nothing to start', () => {
    const { port, host, data } = readSettings({});
    expect([port, host]).toEqual([4747, '127.0.0.1']);
    expect(isAbsolute(data)).toBeTrue();
    expect(data).toMatch(/data$/);
  });

  it('are taken from the environment', () => {
    expect(readSettings({ PORT: '80', HOST: '0.0.0.0', HEATHRIDGE_DATA: '/srv/office' })).toEqual({
      port: 80,
      host: '0.0.0.0',
      data: '/srv/office',
    });
  });

  for (const port of ['x', '-1', '65536', '1.5']) {
    it(`refuse the port ${port}`, () =>
      expect(() => readSettings({ PORT: port })).toThrowError(/PORT must be a number/));
  }
});
