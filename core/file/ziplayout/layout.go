// Package ziplayout computes the exact bytes of a ZIP archive before any file
// is read: its length, and for every byte range the pieces it is made of.
//
// Entries are stored, not compressed (media does not shrink), with names in
// UTF-8 (general purpose bit 11). ZIP64 structures appear where a size, an
// offset or the number of entries needs them and nowhere else. Source: PKWARE
// APPNOTE.TXT 6.3, sections 4.3 and 4.5.3; constants carry its names.
package ziplayout

import (
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"sort"
	"strings"
	"time"
)

// An Entry is one file of the archive, or a folder where its name ends with a slash.
type Entry struct {
	Name     string    // slash-separated path, unique, already safe; at most 65535 bytes
	Size     int64     // bytes
	CRC32    uint32    // IEEE, of the file's bytes
	Modified time.Time // kept to two seconds in UTC, and to the second in the extended timestamp
}

// A Piece is a run of the archive's bytes: either Bytes, or where Bytes is nil,
// Length bytes of the file of entry Entry from Offset on.
type Piece struct {
	Bytes  []byte
	Entry  int
	Offset int64
	Length int64
}

// A Layout is the plan of one archive. It holds a few words an entry and no
// file bytes; headers are written anew whenever a range asks for them. A Layout
// does not change and may be used by many goroutines.
type Layout struct {
	entries   []Entry
	offsets   []int64 // of each local file header
	directory int64   // offset of the central directory
	dirSizes  []int64 // cumulative sizes of the central headers before each entry
	end       int64   // offset of the end-of-directory records
	length    int64
}

const (
	localFileHeaderSignature    = 0x04034b50
	centralFileHeaderSignature  = 0x02014b50
	endOfCentralDirSignature    = 0x06054b50
	zip64EndOfCentralDir        = 0x06064b50
	zip64EndOfCentralDirLocator = 0x07064b50

	localFileHeaderSize   = 30
	centralFileHeaderSize = 46
	endOfCentralDirSize   = 22
	zip64EndSize          = 56
	zip64LocatorSize      = 20

	versionStored = 20
	versionZIP64  = 45
	madeByUnix    = 3 << 8
	bit11UTF8     = 1 << 11
	methodStored  = 0

	extraZIP64       = 0x0001
	extraTimestamp   = 0x5455 // Info-ZIP's "UT": modification time in Unix seconds
	timestampSize    = 9
	max16            = 0xffff
	max32            = 0xffffffff
	unixRegularFile  = 0o100644
	unixDirectory    = 0o040755
	dosDirectory     = 0x10 // in the lower half of the external attributes
	externalAttrsPos = 16
)

// ErrEntry is returned for an entry that a ZIP archive cannot hold.
var ErrEntry = errors.New("cannot be put in a ZIP archive")

// New plans an archive of the entries in their order.
func New(entries []Entry) (*Layout, error) {
	l := &Layout{entries: entries, offsets: make([]int64, len(entries)), dirSizes: make([]int64, len(entries)+1)}
	var at int64
	for i, e := range entries {
		if e.Name == "" || len(e.Name) > max16 || e.Size < 0 || e.isFolder() && e.Size > 0 {
			return nil, fmt.Errorf("%w: entry %d, name of %d bytes, size %d", ErrEntry, i, len(e.Name), e.Size)
		}
		l.offsets[i] = at
		at += l.localSize(i) + e.Size
	}
	l.directory = at
	for i := range entries {
		l.dirSizes[i+1] = l.dirSizes[i] + l.centralSize(i)
	}
	l.end = l.directory + l.dirSizes[len(entries)]
	l.length = l.end + endOfCentralDirSize
	if l.zip64End() {
		l.length += zip64EndSize + zip64LocatorSize
	}
	return l, nil
}

// Length is the size of the whole archive in bytes.
func (l *Layout) Length() int64 { return l.length }

// Len is the number of entries.
func (l *Layout) Len() int { return len(l.entries) }

// Entry is the i-th entry, counted from 0.
func (l *Layout) Entry(i int) Entry { return l.entries[i] }

func (l *Layout) localSize(i int) int64 {
	size := int64(localFileHeaderSize + len(l.entries[i].Name) + timestampSize)
	if l.entries[i].Size >= max32 {
		size += 4 + 16
	}
	return size
}

// zip64Fields are the 8-byte values that entry i's central header needs, in
// the order that APPNOTE 4.5.3 prescribes: size, compressed size, offset.
func (l *Layout) zip64Fields(i int) []int64 {
	var fields []int64
	if size := l.entries[i].Size; size >= max32 {
		fields = append(fields, size, size)
	}
	if l.offsets[i] >= max32 {
		fields = append(fields, l.offsets[i])
	}
	return fields
}

func (l *Layout) centralSize(i int) int64 {
	size := int64(centralFileHeaderSize + len(l.entries[i].Name) + timestampSize)
	if n := len(l.zip64Fields(i)); n > 0 {
		size += int64(4 + 8*n)
	}
	return size
}

func (l *Layout) zip64End() bool {
	return len(l.entries) >= max16 || l.directory >= max32 || l.end-l.directory >= max32
}

func dosTime(t time.Time) (clock, date uint16) {
	t = t.UTC()
	if t.Year() < 1980 {
		return 0, 1<<5 | 1
	}
	if t.Year() > 2107 {
		return 23<<11 | 59<<5 | 29, 127<<9 | 12<<5 | 31
	}
	return uint16(t.Hour()<<11 | t.Minute()<<5 | t.Second()/2), uint16((t.Year()-1980)<<9 | int(t.Month())<<5 | t.Day())
}

func (e Entry) isFolder() bool { return strings.HasSuffix(e.Name, "/") }

func (e Entry) attributes() uint32 {
	if e.isFolder() {
		return unixDirectory<<externalAttrsPos | dosDirectory
	}
	return unixRegularFile << externalAttrsPos
}

func clip32(n int64) uint32 { return uint32(min(n, max32)) }

var order = binary.LittleEndian

func appendTimestamp(b []byte, t time.Time) []byte {
	b = order.AppendUint16(b, extraTimestamp)
	b = order.AppendUint16(b, timestampSize-4)
	b = append(b, 1)
	return order.AppendUint32(b, uint32(t.Unix()))
}

func (l *Layout) appendCommon(b []byte, e Entry, version uint16, extra int) []byte {
	clock, date := dosTime(e.Modified)
	b = order.AppendUint16(b, version)
	b = order.AppendUint16(b, bit11UTF8)
	b = order.AppendUint16(b, methodStored)
	b = order.AppendUint16(b, clock)
	b = order.AppendUint16(b, date)
	b = order.AppendUint32(b, e.CRC32)
	b = order.AppendUint32(b, clip32(e.Size))
	b = order.AppendUint32(b, clip32(e.Size))
	b = order.AppendUint16(b, uint16(len(e.Name)))
	return order.AppendUint16(b, uint16(extra))
}

func (l *Layout) localHeader(i int) []byte {
	e := l.entries[i]
	b := order.AppendUint32(make([]byte, 0, l.localSize(i)), localFileHeaderSignature)
	version := uint16(versionStored)
	if e.Size >= max32 {
		version = versionZIP64
	}
	b = l.appendCommon(b, e, version, int(l.localSize(i))-localFileHeaderSize-len(e.Name))
	b = append(b, e.Name...)
	b = appendTimestamp(b, e.Modified)
	if e.Size >= max32 {
		b = order.AppendUint16(b, extraZIP64)
		b = order.AppendUint16(b, 16)
		b = order.AppendUint64(b, uint64(e.Size))
		b = order.AppendUint64(b, uint64(e.Size))
	}
	return b
}

func (l *Layout) centralHeader(i int) []byte {
	e, wide := l.entries[i], l.zip64Fields(i)
	b := order.AppendUint32(make([]byte, 0, l.centralSize(i)), centralFileHeaderSignature)
	version := uint16(versionStored)
	if len(wide) > 0 {
		version = versionZIP64
	}
	b = order.AppendUint16(b, madeByUnix|version)
	b = l.appendCommon(b, e, version, int(l.centralSize(i))-centralFileHeaderSize-len(e.Name))
	b = append(b, make([]byte, 6)...) // comment length, disk number, internal attributes
	b = order.AppendUint32(b, e.attributes())
	b = order.AppendUint32(b, clip32(l.offsets[i]))
	b = append(b, e.Name...)
	b = appendTimestamp(b, e.Modified)
	if len(wide) > 0 {
		b = order.AppendUint16(b, extraZIP64)
		b = order.AppendUint16(b, uint16(8*len(wide)))
		for _, v := range wide {
			b = order.AppendUint64(b, uint64(v))
		}
	}
	return b
}

func (l *Layout) endRecords() []byte {
	count, size := int64(len(l.entries)), l.end-l.directory
	b := make([]byte, 0, l.length-l.end)
	if l.zip64End() {
		b = order.AppendUint32(b, zip64EndOfCentralDir)
		b = order.AppendUint64(b, zip64EndSize-12)
		b = order.AppendUint16(b, madeByUnix|versionZIP64)
		b = order.AppendUint16(b, versionZIP64)
		b = append(b, make([]byte, 8)...) // this disk, disk of the directory
		b = order.AppendUint64(b, uint64(count))
		b = order.AppendUint64(b, uint64(count))
		b = order.AppendUint64(b, uint64(size))
		b = order.AppendUint64(b, uint64(l.directory))
		b = order.AppendUint32(b, zip64EndOfCentralDirLocator)
		b = append(b, make([]byte, 4)...)
		b = order.AppendUint64(b, uint64(l.end))
		b = order.AppendUint32(b, 1)
	}
	b = order.AppendUint32(b, endOfCentralDirSignature)
	b = append(b, make([]byte, 4)...)
	b = order.AppendUint16(b, uint16(min(count, max16)))
	b = order.AppendUint16(b, uint16(min(count, max16)))
	b = order.AppendUint32(b, clip32(size))
	b = order.AppendUint32(b, clip32(l.directory))
	return append(b, 0, 0)
}

// Pieces yields, in order, what makes up the bytes from start up to end. The
// range is clipped to the archive. Finding its first piece takes a binary
// search, so a range in the middle is as cheap as one at the start.
func (l *Layout) Pieces(start, end int64) func(yield func(Piece) bool) {
	start, end = max(start, 0), min(end, l.length)
	return func(yield func(Piece) bool) {
		give := func(block []byte, at int64) bool { // block begins at offset at of the archive
			from, to := max(start, at)-at, min(end, at+int64(len(block)))-at
			return from >= to || yield(Piece{Bytes: block[from:to], Length: to - from})
		}
		first := sort.Search(len(l.offsets), func(i int) bool { return l.offsets[i] > start }) - 1
		for i := max(first, 0); i < len(l.entries) && l.offsets[i] < end; i++ {
			content := l.offsets[i] + l.localSize(i)
			if start < content && !give(l.localHeader(i), l.offsets[i]) {
				return
			}
			from, to := max(start, content)-content, min(end, content+l.entries[i].Size)-content
			if from < to && !yield(Piece{Entry: i, Offset: from, Length: to - from}) {
				return
			}
		}
		if end <= l.directory {
			return
		}
		at := max(start-l.directory, 0)
		for i := max(sort.Search(len(l.dirSizes), func(i int) bool { return l.dirSizes[i] > at })-1, 0); i < len(l.entries); i++ {
			if l.directory+l.dirSizes[i] >= end || !give(l.centralHeader(i), l.directory+l.dirSizes[i]) {
				return
			}
		}
		give(l.endRecords(), l.end)
	}
}

// Checksum is a CRC-32 over the plan: two layouts with the same names, sizes,
// sums and times have the same one. It serves in an entity tag together with the length.
func (l *Layout) Checksum() uint32 {
	sum := crc32.NewIEEE()
	for i := range l.entries {
		_, _ = sum.Write(l.centralHeader(i)) // a hash never fails to write
	}
	return sum.Sum32()
}

// Offset is where the local header of the i-th entry begins.
func (l *Layout) Offset(i int) int64 { return l.offsets[i] }
