import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { brotliCompress, constants } from 'node:zlib';
import type { Plugin } from 'vite';

const compressed = promisify(brotliCompress);
const QUALITY = 9;

/** Writes a compressed copy beside each script and style, so that the server needn't compress it for every request. */
export function precompressed(): Plugin {
  return {
    name: 'precompressed',
    apply: 'build',
    async writeBundle({ dir = '' }, bundle) {
      const files = Object.values(bundle).filter(({ fileName }) => /\.(js|css)$/.test(fileName));
      await Promise.all(
        files.map(async (file) => {
          const bytes = Buffer.from(file.type === 'chunk' ? file.code : file.source);
          const params = { [constants.BROTLI_PARAM_QUALITY]: QUALITY };
          await writeFile(join(dir, `${file.fileName}.br`), await compressed(bytes, { params }));
        }),
      );
    },
  };
}
