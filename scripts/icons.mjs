// Writes web/src/app/shared/icons.ts from the icon package: only the icons that are used travel.
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const NAMES = (
  'abc add arrow_downward arrow_upward arrow_back arrow_forward calendar_month calendar_today check ' +
  'check_box check_circle first_page last_page chevron_left chevron_right close code delete drag_indicator edit error keyboard_arrow_down keyboard_arrow_up payments arrow_drop_down functions ' +
  'home key list logout notes numbers picture_as_pdf pin print redo save search ' +
  'storefront tag undo visibility visibility_off warning arrow_outward call_split ' +
  'photo_camera content_paste table_view help folder_open task_alt more_vert progress_activity ' +
  'cloud_download schedule event image attach_file approval upload rule history settings link zoom_in zoom_out account_tree download lightbulb hub radio_button_checked radio_button_unchecked'
).split(' ');
const require = createRequire(import.meta.url);
const body = NAMES.sort().map((name) => {
  const svg = readFileSync(require.resolve(`@material-symbols/svg-400/outlined/${name}.svg`), 'utf8');
  return `  ${name}: '${svg.trim().replace(/ (width|height)="\d+"/g, '')}',`;
});
writeFileSync(
  new URL('../web/src/app/shared/icons.ts', import.meta.url),
  `// Made by scripts/icons.mjs from @material-symbols/svg-400 (Apache-2.0). Do not edit.\nexport const ICONS: Readonly<Record<string, string>> = {\n${body.join('\n')}\n};\n`,
);
