package keep

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"time"

	"aftergust/core/file/damage"
	"aftergust/internal/files/blob"

	"github.com/zeebo/xxh3"
)

// A Held blob is one whose bytes should lie in the store, with what is known of them.
type Held struct {
	Blob
	SHA256    []byte // empty while it has not been computed
	CreatedAt time.Time
	Damage    damage.Damage
}

// Look compares the bytes of a blob with what is known of them: that they are there and how
// many, and, if read is set, their checksum. rate bounds the reading, in bytes a second; 0
// is unbounded.
func (s *Service) Look(ctx context.Context, b Held, read bool, rate int64) (damage.Damage, error) {
	size, err := s.bytes.Size(ctx, b.ID)
	switch {
	case errors.Is(err, blob.ErrNotFound):
		return damage.Missing, nil
	case err != nil:
		return damage.None, err
	case size != b.Size:
		return damage.Length, nil
	}
	if !read {
		return damage.None, nil
	}
	return s.compare(ctx, b, rate, io.Discard)
}

// compare reads a blob to its end, for also as well.
func (s *Service) compare(ctx context.Context, b Held, rate int64, also io.Writer) (damage.Damage, error) {
	f, err := s.bytes.Open(ctx, b.ID, 0)
	if errors.Is(err, blob.ErrNotFound) {
		return damage.Missing, nil
	}
	if err != nil {
		return damage.None, err
	}
	defer f.Close()
	sum, want := b.sum()
	n, err := io.CopyBuffer(io.MultiWriter(sum, also), &paced{ctx: ctx, from: f, rate: rate, began: time.Now()}, make([]byte, 1<<20))
	switch {
	case err != nil:
		return damage.None, fmt.Errorf("read blob %s: %w", b.ID, err)
	case n != b.Size:
		return damage.Length, nil
	case want != nil && !bytes.Equal(sum.Sum(nil), want):
		return damage.Altered, nil
	}
	return damage.None, nil
}

// sum is the quickest checksum that is known of a blob; what it should be is nil where none
// is, as of previews.
func (b Held) sum() (hash.Hash, []byte) {
	switch {
	case len(b.XXH3) == 16:
		return xxh128{xxh3.New()}, b.XXH3
	case len(b.SHA256) > 0:
		return sha256.New(), b.SHA256
	case b.CRC32 != 0:
		return crc32.NewIEEE(), []byte{byte(b.CRC32 >> 24), byte(b.CRC32 >> 16), byte(b.CRC32 >> 8), byte(b.CRC32)}
	}
	return crc32.NewIEEE(), nil
}

// xxh128 gives the long form of the checksum, in canonical order.
type xxh128 struct{ *xxh3.Hasher }

func (x xxh128) Sum(b []byte) []byte {
	sum := x.Sum128().Bytes()
	return append(b, sum[:]...)
}

// paced reads at most so many bytes a second, until ctx ends.
type paced struct {
	ctx   context.Context
	from  io.Reader
	rate  int64
	began time.Time
	read  int64
}

func (p *paced) Read(to []byte) (int, error) {
	if p.rate > 0 {
		due := p.began.Add(time.Duration(float64(p.read) / float64(p.rate) * float64(time.Second)))
		select {
		case <-p.ctx.Done():
		case <-time.After(time.Until(due)):
		}
	}
	if err := p.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := p.from.Read(to)
	p.read += int64(n)
	return n, err
}

// A Finding is what is wrong with kept bytes.
type Finding struct {
	Blob   string
	Damage damage.Damage // damage.None for a file that belongs to no blob
}

func (f Finding) String() string {
	if f.Damage == damage.None {
		return "file " + f.Blob + ": the database does not know it; it will be swept"
	}
	return "file " + f.Blob + ": " + damage.All.Get(f.Damage).Word
}

// lookedAtOnce is how many blobs are asked for with one query.
const lookedAtOnce = 500

// LookAll looks at every blob without reading it, and for files that belong to none. It
// records what it finds, and returns how many blobs it saw.
func (s *Service) LookAll(ctx context.Context, found func(Finding)) (seen int, err error) {
	for after := ""; ; {
		held, err := s.rows.HeldBlobs(ctx, after, lookedAtOnce)
		if err != nil {
			return seen, err
		}
		for _, b := range held {
			after = b.ID
			seen++
			if err := s.lookAt(ctx, b, false, 0, found); err != nil {
				return seen, err
			}
		}
		if len(held) < lookedAtOnce {
			break
		}
	}
	return seen, s.bytes.Each(ctx, s.now().Add(-strangerAge), func(ids []string) error {
		strangers, err := s.rows.Strangers(ctx, ids)
		for _, id := range strangers {
			found(Finding{Blob: id})
		}
		return err
	})
}

// strangerAge is how old a file without a blob is before somebody is told: a file gets its
// name a moment before it gets its row.
const strangerAge = time.Hour

// ReadAll reads blobs that were last read before a moment, the longest ago first, until it
// has read most bytes (0: all) or ctx ends; the next call goes on from there. It records
// what it finds and returns how many blobs and bytes it read.
func (s *Service) ReadAll(ctx context.Context, before time.Time, rate, most int64, found func(Finding)) (seen int, read int64, err error) {
	for {
		held, err := s.rows.UnreadBlobs(ctx, before, lookedAtOnce)
		if err != nil || len(held) == 0 {
			return seen, read, err
		}
		for _, b := range held {
			if most > 0 && read >= most {
				return seen, read, nil
			}
			if err := s.lookAt(ctx, b, true, rate, found); err != nil {
				return seen, read, err
			}
			seen++
			read += b.Size
		}
	}
}

// How the share of a day is read: everything within ReadWithin, at a rate that leaves the
// disk to others.
const (
	ReadWithin = 28 * 24 * time.Hour
	readRate   = 64_000_000    // bytes a second
	leastShare = 1_000_000_000 // bytes
)

// ReadShare reads what is due today of all bytes.
func (s *Service) ReadShare(ctx context.Context, found func(Finding)) (seen int, read int64, err error) {
	held, err := s.rows.HeldBytes(ctx)
	if err != nil {
		return 0, 0, err
	}
	share := max(held/int64(ReadWithin/(24*time.Hour)), leastShare)
	return s.ReadAll(ctx, s.now().Add(-ReadWithin), readRate, share, found)
}

func (s *Service) lookAt(ctx context.Context, b Held, read bool, rate int64, found func(Finding)) error {
	d, err := s.Look(ctx, b, read, rate)
	if err != nil {
		return err
	}
	if d != damage.None {
		// It may have been cleared meanwhile, or be a copy whose bytes are still to come.
		again, ok, err := s.rows.HeldBlob(ctx, b.ID)
		if err != nil || !ok || d == damage.Missing && s.now().Sub(again.CreatedAt) < strangerAge {
			return err
		}
		found(Finding{Blob: b.ID, Damage: d})
	}
	if !read && d == damage.None && (b.Damage == damage.None || b.Damage == damage.Altered) {
		return nil // nothing new: that it is altered only reading can take back
	}
	return s.rows.SetDamage(ctx, b.ID, d, read, s.now())
}

// Damaged is how many files of all studios are known to be damaged.
func (s *Service) Damaged(ctx context.Context) (int, error) { return s.rows.Damaged(ctx) }

// DamagedOf are those of some blobs that are known to be damaged.
func (s *Service) DamagedOf(ctx context.Context, ids []string) (map[string]damage.Damage, error) {
	return s.rows.DamagedOf(ctx, ids)
}

// Whole looks, without reading it, whether a blob can be given out: it is there, as long as
// it should be, and not known to be altered. What it finds is recorded.
func (s *Service) Whole(ctx context.Context, id string, size int64) (damage.Damage, error) {
	there, err := s.bytes.Size(ctx, id)
	if err == nil && there == size {
		return damage.None, nil
	}
	if err != nil && !errors.Is(err, blob.ErrNotFound) {
		return damage.None, err
	}
	b, ok, err := s.rows.HeldBlob(ctx, id)
	if err != nil || !ok {
		return damage.Missing, err
	}
	d, err := s.Look(ctx, b, false, 0)
	if err == nil && d != damage.None {
		err = s.rows.SetDamage(ctx, id, d, false, s.now())
	}
	return d, err
}

// Digest reads a blob to its end, compares it with what is known of it and keeps its SHA-256.
// Where the studio already has the same bytes they are kept once: versions turn to the older
// blob, and the newer one is cleared when nothing needs it. The older bytes are read first.
// Where they are damaged, the newer ones take their place, so that everything that refers to
// them is whole again.
func (s *Service) Digest(ctx context.Context, id string) error {
	b, ok, err := s.rows.HeldBlob(ctx, id)
	if err != nil || !ok {
		return err // cleared meanwhile
	}
	digest := sha256.New()
	d, err := s.compare(ctx, b, 0, digest)
	if err != nil {
		return err
	}
	if d != damage.None { // the digest of something else says nothing
		return s.rows.SetDamage(ctx, id, d, true, s.now())
	}
	if err := s.rows.SetSHA256(ctx, id, digest.Sum(nil), s.now()); err != nil {
		return err
	}
	twin, ok, err := s.rows.Twin(ctx, id)
	if err != nil || !ok {
		return err
	}
	twin.XXH3, twin.CRC32 = b.XXH3, b.CRC32 // equal by their digests
	if d, err = s.Look(ctx, twin, true, 0); err != nil {
		return err
	}
	if d != damage.None {
		if err := s.bytes.Heal(ctx, twin.ID, id); err != nil {
			return err
		}
	}
	if d != damage.None || twin.Damage != damage.None {
		if err := s.rows.SetDamage(ctx, twin.ID, damage.None, true, s.now()); err != nil {
			return err
		}
	}
	return s.rows.ShareBlob(ctx, id, twin.ID)
}
