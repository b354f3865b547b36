package blob

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sync/errgroup"
)

// syncsAtOnce is how many files are flushed side by side. The file system writes its
// journal once for all that wait for it, so that many small files cost about as many
// journal writes as there are batches.
const syncsAtOnce = 16

// Durable returns once files, and their names in their folders, would survive a loss of
// power: fsync(2) says that a file's own sync does not cover the entry in its folder. Files
// of one folder share the sync of it. Only paths that were just written belong here.
func Durable(paths ...string) error {
	var folders []string
	seen := map[string]bool{}
	for _, path := range paths {
		if folder := filepath.Dir(path); !seen[folder] {
			seen[folder] = true
			folders = append(folders, folder)
		}
	}
	return errors.Join(flush(paths), flush(folders))
}

func flush(paths []string) error {
	var group errgroup.Group
	group.SetLimit(syncsAtOnce)
	for _, path := range paths {
		group.Go(func() error {
			f, err := os.Open(path)
			if err != nil {
				return err
			}
			return errors.Join(f.Sync(), f.Close())
		})
	}
	return group.Wait()
}

// folder makes the folder of a blob. Its name in root is flushed by each process once,
// since another one may have made it and died before it did.
func (d *Disk) folder(target string) error {
	dir := filepath.Dir(target)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	if _, known := d.folders.Load(dir); known {
		return nil
	}
	if err := flush([]string{d.root}); err != nil {
		return err
	}
	d.folders.Store(dir, true)
	return nil
}
