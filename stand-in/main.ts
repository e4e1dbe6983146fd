import { openShop } from './shop';

/** Seconds that a day of the shop takes. */
const DAY = 60;

// npm run stand-in: something outside to fetch from, where there is no net.
const shop = await openShop(Number(process.env['PORT'] ?? 4848));
setInterval(() => shop.later(1), DAY * 1000);
process.stdout.write(
  `A shop that does not exist sells spare parts at\n  ${shop.parts}.json\n  ${shop.parts}.csv\n` +
    `Its prices and stock change every ${DAY} seconds.\n`,
);
