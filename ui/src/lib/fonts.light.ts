// Only the weights that pages for recipients have: they open on phones, on any line.
import '@fontsource/bricolage-grotesque/600.css';
import '@fontsource/hanken-grotesk/400.css';
import '@fontsource/hanken-grotesk/600.css';
import '@fontsource/red-hat-mono/400.css';
