package ground

import (
	"crypto/rand"
	"encoding/base32"
	"encoding/binary"
	"time"
)

// NewID makes an identifier: 24 characters of base32hex, sortable by the
// millisecond in which it was made. It is unique but not a secret.
func NewID() string {
	var b [15]byte
	binary.BigEndian.PutUint64(b[:8], uint64(time.Now().UnixMilli())<<16)
	_, _ = rand.Read(b[6:]) // documented never to fail
	return idEncoding.EncodeToString(b[:])
}

var idEncoding = base32.NewEncoding("0123456789abcdefghijklmnopqrstuv").WithPadding(base32.NoPadding)
