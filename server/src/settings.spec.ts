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
      proxies: [],
      sources: [],
      loopback: false,
    });
  });

  it('know when others can reach the server: then the demo is closed', () => {
    const loopback = (env: Record<string, string>): boolean => readSettings(env).loopback;
    expect(
      [{}, { HOST: '::1' }, { HOST: 'localhost' }, { HOST: '127.0.0.2' }].map(loopback as never),
    ).toEqual([true, true, true, true]);
    expect(loopback({ HOST: '0.0.0.0' })).toBeFalse();
    expect(loopback({ HOST: '127.0.0.1.example.org' })).toBeFalse();
    expect(loopback({ HEATHRIDGE_PROXY: '127.0.0.1' })).toBeFalse();
    expect(readSettings({ HEATHRIDGE_PROXY: '10.0.0.1, 10.1.0.0/16' }).proxies).toEqual([
      '10.0.0.1',
      '10.1.0.0/16',
    ]);
  });

  it('name hosts of the own network that may be asked for rows', () => {
    expect(readSettings({ HEATHRIDGE_SOURCES: 'Stock.local:8080, 10.0.0.7' }).sources).toEqual([
      'stock.local:8080',
      '10.0.0.7',
    ]);
  });

  for (const port of ['x', '-1', '65536', '1.5']) {
    it(`refuse the port ${port}`, () =>
      expect(() => readSettings({ PORT: port })).toThrowError(/PORT must be a number/));
  }
});
