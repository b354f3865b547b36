package app_test

import (
	"bytes"
	"fmt"
	"hash/crc32"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	arriving "aftergust/internal/parts/gather"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A device is a disk whose content can be copied at one moment, as a loss of power would leave
// it: an ext4 in a file on a file system that clones files in one step (ioctl_ficlonerange(2)).
// What programs have written and nobody has flushed is not in the copy.
type device struct {
	dir   string // where it is mounted
	image string
	t     *testing.T
}

func run(t *testing.T, name string, args ...string) {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s %v: %s", name, args, out)
}

// attach mounts an image until the test ends, or until detach is called.
func attach(t *testing.T, image, dir string) (detach func()) {
	t.Helper()
	require.NoError(t, os.MkdirAll(dir, 0o700))
	if out, err := exec.Command("mount", "-o", "loop", image, dir).CombinedOutput(); err != nil {
		t.Skipf("no image of a disk can be mounted here: %s", out)
	}
	var once sync.Once
	detach = func() { once.Do(func() { run(t, "umount", "-l", dir) }) }
	t.Cleanup(detach)
	return detach
}

func newDevice(t *testing.T) *device {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("mounting takes root")
	}
	outer := t.TempDir()
	require.NoError(t, os.WriteFile(outer+"/outer", nil, 0o600))
	require.NoError(t, os.Truncate(outer+"/outer", 2<<30))
	run(t, "mkfs.xfs", "-q", "-m", "reflink=1", outer+"/outer")
	attach(t, outer+"/outer", outer+"/clones")
	d := &device{dir: outer + "/disk", image: outer + "/clones/image", t: t}
	require.NoError(t, os.WriteFile(d.image, nil, 0o600))
	require.NoError(t, os.Truncate(d.image, 256<<20))
	// Nothing is flushed by the passing of time during the test: only what somebody asks for.
	run(t, "mkfs.ext4", "-q", d.image)
	attach(t, d.image, d.dir)
	run(t, "mount", "-o", "remount,commit=600", d.dir)
	return d
}

// lose is what lies on the disk after a loss of power now, in dir until forget is called.
func (d *device) lose() (dir string, forget func()) {
	copied := d.image + ".copy"
	run(d.t, "cp", "--reflink=always", d.image, copied)
	dir = d.dir + "-after"
	detach := attach(d.t, copied, dir)
	return dir, func() {
		detach()
		require.NoError(d.t, os.Remove(copied))
	}
}

// A kept is something that a response has said is safe.
type kept struct {
	blob, upload string // one of both
	size         int64
	crc          uint32
}

// The keeper puts files on a server and writes down what it was told is kept.
type keeper struct {
	t     *testing.T
	s     *apptest.Studio
	place string
	mu    sync.Mutex
	told  []kept
}

func (k *keeper) keep(one kept) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.told = append(k.told, one)
}

func (k *keeper) all() []kept {
	k.mu.Lock()
	defer k.mu.Unlock()
	return append([]kept(nil), k.told...)
}

// upload sends one file in one or two pieces, and notes each response.
func (k *keeper) upload(seed uint64) error {
	dice := rand.New(rand.NewPCG(seed, 23))
	content := make([]byte, 1+dice.IntN(300_000))
	_, _ = rand.NewChaCha8([32]byte{byte(seed), byte(seed >> 8)}).Read(content)
	location, err := k.s.Owner.BeginUpload(k.t.Context(), map[string]string{"place": k.place, "filename": fmt.Sprintf("take-%d.bin", seed)},
		int64(len(content)))
	if err != nil {
		return err
	}
	half := dice.IntN(len(content))
	for _, part := range [][2]int{{0, half}, {half, len(content)}} {
		if part[0] == part[1] {
			continue
		}
		item, err := k.patch(location, part[0], content[part[0]:part[1]])
		if err != nil {
			return err
		}
		if item == "" {
			k.keep(kept{upload: filepath.Base(location), size: int64(part[1]), crc: crc32.ChecksumIEEE(content[:part[1]])})
			continue
		}
		var blob string
		row := k.s.App.Store.Pool().QueryRow(k.t.Context(), "select v.blob_id from version v where v.item_id = $1", item)
		if err := row.Scan(&blob); err != nil {
			return err
		}
		k.keep(kept{blob: blob, size: int64(len(content)), crc: crc32.ChecksumIEEE(content)})
	}
	return nil
}

func (k *keeper) patch(location string, offset int, part []byte) (item string, err error) {
	address := k.s.Base + strings.TrimPrefix(location, k.s.Base)
	r, err := http.NewRequestWithContext(k.t.Context(), http.MethodPatch, address, bytes.NewReader(part))
	if err != nil {
		return "", err
	}
	for name, value := range map[string]string{"Authorization": "Bearer " + k.s.Owner.Token, "Tus-Resumable": "1.0.0",
		"Upload-Offset": fmt.Sprint(offset), "Content-Type": "application/offset+octet-stream"} {
		r.Header.Set(name, value)
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return "", err
	}
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	if answer.StatusCode != http.StatusNoContent {
		return "", fmt.Errorf("%s: %s", answer.Status, text)
	}
	return answer.Header.Get("Aftergust-Item"), nil
}

// arrived reports whether an upload became an item.
func (k *keeper) arrived(upload string) bool {
	u, ok, err := arriving.UploadRows{DB: k.s.App.Store}.UploadByID(k.t.Context(), upload)
	return assert.NoError(k.t, err) && ok && u.State == arriving.Arrived
}

// lost is what of some kept things is not on a disk as it should be.
func (k *keeper) lost(disk string, told []kept) (missing []string) {
	for _, one := range told {
		path := filepath.Join(disk, "blobs", "incoming", one.upload)
		if one.blob != "" {
			path = filepath.Join(disk, "blobs", one.blob[len(one.blob)-2:], one.blob)
		}
		content, err := os.ReadFile(path)
		switch {
		case one.upload != "" && os.IsNotExist(err):
			if !k.arrived(one.upload) { // else it became a blob since, and its first name is gone
				missing = append(missing, path+": it is not there, and was no blob yet")
			}
		case err != nil:
			missing = append(missing, err.Error())
		case int64(len(content)) < one.size || crc32.ChecksumIEEE(content[:one.size]) != one.crc:
			missing = append(missing, fmt.Sprintf("%s: %d bytes, told of %d", path, len(content), one.size))
		case one.upload != "":
			if note, err := os.ReadFile(path + ".info"); err != nil || !bytes.HasSuffix(note, []byte("}")) {
				missing = append(missing, path+": its note is not there")
			}
		}
	}
	return missing
}

// What a response says is kept survives a loss of power: whole files, and the beginning of those
// that go on. Fifty losses at moments that nobody chose.
func TestALossOfPowerLosesNoUploadThatWasAcknowledged(t *testing.T) {
	t.Parallel()
	const losses, uploaders = 50, 4
	const mostAtRisk = 200 // the newest; what is older was looked at after earlier losses
	d := newDevice(t)
	s := apptest.Start(t, pg, func(c *app.Config) { c.Blobs = d.dir + "/blobs" })
	_, films := project(t, s)
	k := &keeper{t: t, s: s, place: films}
	stop, seeds := make(chan struct{}), make(chan uint64)
	var work sync.WaitGroup
	for range uploaders {
		work.Go(func() {
			for seed := range seeds {
				assert.NoError(t, k.upload(seed))
			}
		})
	}
	work.Go(func() {
		defer close(seeds)
		for seed := uint64(1); ; seed++ {
			select {
			case seeds <- seed:
			case <-stop:
				return
			}
		}
	})
	defer work.Wait()
	defer close(stop)
	apptest.Eventually(t, "something is kept", func() bool { return len(k.all()) > 0 })
	for n := range losses {
		time.Sleep(time.Duration(rand.IntN(60)) * time.Millisecond) // any moment will do
		told := k.all()
		told = told[max(0, len(told)-mostAtRisk):]
		disk, forget := d.lose()
		missing := k.lost(disk, told)
		forget()
		require.Empty(t, missing, "loss %d, after %d responses", n, len(told))
	}
	t.Logf("%d responses said that something is kept", len(k.all()))
}
