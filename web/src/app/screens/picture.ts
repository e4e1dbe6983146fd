import { MOST_PICTURE_TEXT } from '@heathridge/core/design';

/** Pixels along the longer side, the most and the fewest that a picture on a form is made smaller to. */
const [MOST, FEWEST] = [1200, 150];

/** A picture that cannot stand on a form, in words. */
export class UnfitPicture extends Error {}

/**
 * A picture from a file as a form keeps it: a data URL, made as small as it must be. Fails with {@link UnfitPicture}
 * for what is none, or stays too large.
 */
export async function pictureFor(file: File): Promise<string> {
  let bitmap: ImageBitmap;
  try {
    bitmap = await createImageBitmap(file);
  } catch {
    throw new UnfitPicture(`${file.name} is no picture that can be shown: PNG, JPEG, GIF, WebP or AVIF.`);
  }
  const longer = Math.max(bitmap.width, bitmap.height);
  for (let most = Math.min(longer, MOST); most >= Math.min(longer, FEWEST); most = Math.floor(most * 0.8)) {
    const canvas = document.createElement('canvas');
    canvas.width = Math.max(1, Math.round((bitmap.width * most) / longer));
    canvas.height = Math.max(1, Math.round((bitmap.height * most) / longer));
    canvas.getContext('2d')!.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
    // As it is where that is small enough, as a drawing or a logo mostly is; else as a photograph is kept.
    for (const [type, quality] of [
      ['image/png', 1],
      ['image/webp', 0.85],
    ] as const) {
      const text = canvas.toDataURL(type, quality);
      if (text.length <= MOST_PICTURE_TEXT) return text;
    }
  }
  throw new UnfitPicture(`${file.name} is too large for a form, however small it is made.`);
}
