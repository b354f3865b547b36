// The fonts of the studio, in all weights.
import '@fontsource-variable/bricolage-grotesque';
import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/red-hat-mono';
