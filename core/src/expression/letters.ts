/**
 * The simple case mappings of the Unicode Character Database 14.0 (UnicodeData.txt, CaseFolding.txt status
 * C and S) beyond ASCII, frozen here so that browser, server and file map every letter alike, whatever
 * version of Unicode each of them knows by itself.
 *
 * A run is `start+count~delta` in hexadecimal start and delta (`:` instead of `+`: every other letter; `-`
 * instead of `~`: the delta is subtracted); the count is decimal and left out when it is 1.
 */
const TO_LOWER =
  'c0+23~20 d8+7~20 100:24~1 130-c7 132:3~1 139:8~1 14a:23~1 178-79 179:3~1 181~d2 182:2~1 186~ce 187~1 ' +
  '189+2~cd 18b~1 18e~4f 18f~ca 190~cb 191~1 193~cd 194~cf 196~d3 197~d1 198~1 19c~d3 19d~d5 19f~d6 ' +
  '1a0:3~1 1a6~da 1a7~1 1a9~da 1ac~1 1ae~da 1af~1 1b1+2~d9 1b3:2~1 1b7~db 1b8~1 1bc~1 1c4~2 1c5~1 1c7~2 ' +
  '1c8~1 1ca~2 1cb:9~1 1de:9~1 1f1~2 1f2:2~1 1f6-61 1f7-38 1f8:20~1 220-82 222:9~1 23a~2a2b 23b~1 ' +
  '23d-a3 23e~2a28 241~1 243-c3 244~45 245~47 246:5~1 370:2~1 376~1 37f~74 386~26 388+3~25 38c~40 ' +
  '38e+2~3f 391+17~20 3a3+9~20 3cf~8 3d8:12~1 3f4-3c 3f7~1 3f9-7 3fa~1 3fd+3-82 400+16~50 410+32~20 ' +
  '460:17~1 48a:27~1 4c0~f 4c1:7~1 4d0:48~1 531+38~30 10a0+38~1c60 10c7~1c60 10cd~1c60 13a0+80~97d0 ' +
  '13f0+6~8 1c90+43-bc0 1cbd+3-bc0 1e00:75~1 1e9e-1dbf 1ea0:48~1 1f08+8-8 1f18+6-8 1f28+8-8 1f38+8-8 ' +
  '1f48+6-8 1f59:4-8 1f68+8-8 1f88+8-8 1f98+8-8 1fa8+8-8 1fb8+2-8 1fba+2-4a 1fbc-9 1fc8+4-56 1fcc-9 ' +
  '1fd8+2-8 1fda+2-64 1fe8+2-8 1fea+2-70 1fec-7 1ff8+2-80 1ffa+2-7e 1ffc-9 2126-1d5d 212a-20bf ' +
  '212b-2046 2132~1c 2160+16~10 2183~1 24b6+26~1a 2c00+48~30 2c60~1 2c62-29f7 2c63-ee6 2c64-29e7 ' +
  '2c67:3~1 2c6d-2a1c 2c6e-29fd 2c6f-2a1f 2c70-2a1e 2c72~1 2c75~1 2c7e+2-2a3f 2c80:50~1 2ceb:2~1 2cf2~1 ' +
  'a640:23~1 a680:14~1 a722:7~1 a732:31~1 a779:2~1 a77d-8a04 a77e:5~1 a78b~1 a78d-a528 a790:2~1 ' +
  'a796:10~1 a7aa-a544 a7ab-a54f a7ac-a54b a7ad-a541 a7ae-a544 a7b0-a512 a7b1-a52a a7b2-a515 a7b3~3a0 ' +
  'a7b4:8~1 a7c4-30 a7c5-a543 a7c6-8a38 a7c7:2~1 a7d0~1 a7d6:2~1 a7f5~1 ff21+26~20 10400+40~28 ' +
  '104b0+36~28 10570+11~27 1057c+15~27 1058c+7~27 10594+2~27 10c80+51~40 118a0+32~20 16e40+32~20 ' +
  '1e900+34~22';

const TO_UPPER =
  'b5~2e7 e0+23-20 f8+7-20 ff~79 101:24-1 131-e8 133:3-1 13a:8-1 14b:23-1 17a:3-1 17f-12c 180~c3 ' +
  '183:2-1 188-1 18c-1 192-1 195~61 199-1 19a~a3 19e~82 1a1:3-1 1a8-1 1ad-1 1b0-1 1b4:2-1 1b9-1 1bd-1 ' +
  '1bf~38 1c5-1 1c6-2 1c8-1 1c9-2 1cb-1 1cc-2 1ce:8-1 1dd-4f 1df:9-1 1f2-1 1f3-2 1f5-1 1f9:20-1 223:9-1 ' +
  '23c-1 23f+2~2a3f 242-1 247:5-1 250~2a1f 251~2a1c 252~2a1e 253-d2 254-ce 256+2-cd 259-ca 25b-cb ' +
  '25c~a54f 260-cd 261~a54b 263-cf 265~a528 266~a544 268-d1 269-d3 26a~a544 26b~29f7 26c~a541 26f-d3 ' +
  '271~29fd 272-d5 275-d6 27d~29e7 280-da 282~a543 283-da 287~a52a 288-da 289-45 28a+2-d9 28c-47 292-db ' +
  '29d~a515 29e~a512 345~54 371:2-1 377-1 37b+3~82 3ac-26 3ad+3-25 3b1+17-20 3c2-1f 3c3+9-20 3cc-40 ' +
  '3cd+2-3f 3d0-3e 3d1-39 3d5-2f 3d6-36 3d7-8 3d9:12-1 3f0-56 3f1-50 3f2~7 3f3-74 3f5-60 3f8-1 3fb-1 ' +
  '430+32-20 450+16-50 461:17-1 48b:27-1 4c2:7-1 4cf-f 4d1:48-1 561+38-30 10d0+43~bc0 10fd+3~bc0 ' +
  '13f8+6-8 1c80-186e 1c81-186d 1c82-1864 1c83+2-1862 1c85-1863 1c86-185c 1c87-1825 1c88~89c2 1d79~8a04 ' +
  '1d7d~ee6 1d8e~8a38 1e01:75-1 1e9b-3b 1ea1:48-1 1f00+8~8 1f10+6~8 1f20+8~8 1f30+8~8 1f40+6~8 1f51:4~8 ' +
  '1f60+8~8 1f70+2~4a 1f72+4~56 1f76+2~64 1f78+2~80 1f7a+2~70 1f7c+2~7e 1f80+8~8 1f90+8~8 1fa0+8~8 ' +
  '1fb0+2~8 1fb3~9 1fbe-1c25 1fc3~9 1fd0+2~8 1fe0+2~8 1fe5~7 1ff3~9 214e-1c 2170+16-10 2184-1 ' +
  '24d0+26-1a 2c30+48-30 2c61-1 2c65-2a2b 2c66-2a28 2c68:3-1 2c73-1 2c76-1 2c81:50-1 2cec:2-1 2cf3-1 ' +
  '2d00+38-1c60 2d27-1c60 2d2d-1c60 a641:23-1 a681:14-1 a723:7-1 a733:31-1 a77a:2-1 a77f:5-1 a78c-1 ' +
  'a791:2-1 a794~30 a797:10-1 a7b5:8-1 a7c8:2-1 a7d1-1 a7d7:2-1 a7f6-1 ab53-3a0 ab70+80-97d0 ff41+26-20 ' +
  '10428+40-28 104d8+36-28 10597+11-27 105a3+15-27 105b3+7-27 105bb+2-27 10cc0+51-40 118c0+32-20 ' +
  '16e60+32-20 1e922+34-22';

/** Where the folded letter is another than the lower case one. */
const FOLD_DIFFERS =
  'b5~307 130~0 17f-10c 345~74 3c2~1 3d0-1e 3d1-19 3d5-f 3d6-16 3f0-36 3f1-30 3f5-40 13a0+86~0 13f8+6-8 ' +
  '1c80-184e 1c81-184d 1c82-1844 1c83+2-1842 1c85-1843 1c86-183c 1c87-1824 1c88~89c3 1e9b-3a 1fbe-1c05 ' +
  'ab70+80-97d0';

function mapping(runs: string): Map<string, string> {
  const map = new Map<string, string>();
  for (const run of runs.split(' ')) {
    const [, start, step, count, sign, by] = /^([0-9a-f]+)(?:([+:])(\d+))?([~-])([0-9a-f]+)$/.exec(run)!;
    const delta = parseInt(by!, 16) * (sign === '-' ? -1 : 1);
    for (let i = 0; i < Number(count ?? 1); i++) {
      const code = parseInt(start!, 16) + i * (step === ':' ? 2 : 1);
      map.set(String.fromCodePoint(code), String.fromCodePoint(code + delta));
    }
  }
  return map;
}

/** Letters beyond ASCII whose lower case is another letter. */
export const LOWER_LETTERS: ReadonlyMap<string, string> = mapping(TO_LOWER);

/** Letters beyond ASCII whose upper case is another letter. */
export const UPPER_LETTERS: ReadonlyMap<string, string> = mapping(TO_UPPER);

/** Letters beyond ASCII that simple case folding turns into another letter. */
export const FOLD_LETTERS: ReadonlyMap<string, string> = new Map(
  [...new Map([...LOWER_LETTERS, ...mapping(FOLD_DIFFERS)])].filter(([from, to]) => from !== to),
);
