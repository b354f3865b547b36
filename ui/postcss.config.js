import data from '@csstools/postcss-global-data';
import media from 'postcss-custom-media';

// The breakpoints of tokens.css hold in every file of styles.
export default { plugins: [data({ files: ['src/lib/ui/tokens.css'] }), media()] };
