/**
 * Simple drawings of the instrument families, in the order of the demo's families: brass, woodwind,
 * strings, percussion, keyboard, plucked.
 */
const SHAPES = [
  '<path d="M40 150h150l70-50v100l-70-50" fill="#c99a3a"/><rect x="90" y="110" width="14" height="60" rx="6" fill="#8a6a25"/><rect x="116" y="110" width="14" height="60" rx="6" fill="#8a6a25"/><rect x="142" y="110" width="14" height="60" rx="6" fill="#8a6a25"/>',
  '<rect x="30" y="138" width="240" height="24" rx="12" fill="#3a322c"/><g fill="#c8ccd0"><circle cx="90" cy="150" r="7"/><circle cx="120" cy="150" r="7"/><circle cx="150" cy="150" r="7"/><circle cx="190" cy="150" r="7"/><circle cx="220" cy="150" r="7"/></g>',
  '<ellipse cx="150" cy="190" rx="62" ry="52" fill="#a4582b"/><ellipse cx="150" cy="118" rx="46" ry="40" fill="#a4582b"/><rect x="144" y="24" width="12" height="190" fill="#2b211b"/>',
  '<rect x="70" y="120" width="160" height="90" fill="#b1432b"/><ellipse cx="150" cy="120" rx="80" ry="28" fill="#f6f4ee" stroke="#8b8f86" stroke-width="6"/><path d="M80 60l70 55M220 60l-70 55" stroke="#8a6a25" stroke-width="8"/>',
  '<rect x="40" y="110" width="220" height="80" rx="6" fill="#fffdf9" stroke="#1f2a26" stroke-width="4"/><path d="M68 110v80M96 110v80M124 110v80M152 110v80M180 110v80M208 110v80M236 110v80" stroke="#1f2a26" stroke-width="2"/><g fill="#1f2a26"><rect x="60" y="110" width="16" height="48"/><rect x="88" y="110" width="16" height="48"/><rect x="144" y="110" width="16" height="48"/><rect x="172" y="110" width="16" height="48"/><rect x="200" y="110" width="16" height="48"/></g>',
  '<ellipse cx="120" cy="180" rx="70" ry="62" fill="#c88a4a"/><ellipse cx="190" cy="130" rx="46" ry="40" fill="#c88a4a" transform="rotate(-40 190 130)"/><circle cx="140" cy="168" r="20" fill="#4a3218"/><rect x="180" y="40" width="14" height="110" fill="#4a3218" transform="rotate(40 187 95)"/>',
];

export const PICTURES: readonly { readonly name: string; readonly svg: string }[] = [
  'brass',
  'woodwind',
  'strings',
  'percussion',
  'keyboard',
  'plucked',
].map((name, i) => ({
  name: `${name}.png`,
  svg: `<svg xmlns="http://www.w3.org/2000/svg" width="300" height="300"><rect width="300" height="300" fill="#e9e4d6"/>${SHAPES[i]!}</svg>`,
}));
