// Files that can be read again after a reload: https://wicg.github.io/file-system-access/
import type {} from 'wicg-file-system-access';
