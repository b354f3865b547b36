package transfer_test

import (
	"bytes"
	"os/exec"
	"testing"
	"time"

	. "aftergust/core/file/transfer"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: SI units; 3.2 GB at 100 Mbit/s take 256 s.
func TestTransferTimes(t *testing.T) {
	assert.Equal(t, 256*time.Second, Duration(3_200_000_000, 100*Mbit))
	assert.Equal(t, time.Second, Duration(1, Mbit), "rounded up")
	assert.Zero(t, Duration(1, 0))
	assert.Equal(t, "4 min", Span(256*time.Second))
	assert.Equal(t, "2 h 5 min", Span(125*time.Minute))
	assert.Equal(t, "2 h", Span(2*time.Hour))
	assert.Equal(t, "59 s", Span(59*time.Second))
}

// Reference program: base64 -w 76 of GNU coreutils (its lines end in LF alone, so each counts one byte less).
func TestTheMailedSizeAgreesWithBase64(t *testing.T) {
	for _, size := range []int{0, 1, 2, 3, 56, 57, 58, 1000, 100_000} {
		cmd := exec.Command("base64", "-w", "76")
		cmd.Stdin = bytes.NewReader(make([]byte, size))
		out, err := cmd.Output()
		require.NoError(t, err)
		assert.EqualValues(t, len(out)+bytes.Count(out, []byte("\n")), Encoded(int64(size)), "%d bytes", size)
	}
	assert.InDelta(t, 1.368, float64(Encoded(18_000_000))/18_000_000, 0.001)
	assert.True(t, FitsMail(18_000_000))
	assert.False(t, FitsMail(18_500_000))
}

func TestSizesAreWordedInSIUnits(t *testing.T) {
	for n, want := range map[int64]string{
		-1: "0 bytes", 0: "0 bytes", 1: "1 byte", 999: "999 bytes", 1000: "1.0 kB", 9949: "9.9 kB", 9950: "10 kB", 412_000_000: "412 MB",
		999_400_000: "999 MB", 999_600_000: "1.0 GB", 4_200_000_000: "4.2 GB", 3_000_000_000_000: "3.0 TB",
	} {
		assert.Equal(t, want, Size(n))
	}
}

// Source: SI prefixes.
func TestALineRateHasAUnit(t *testing.T) {
	for bits, want := range map[int64]string{0: "0 kbit/s", 850_000: "850 kbit/s", 1_000_000: "1 Mbit/s", 20 * Mbit: "20 Mbit/s", 1_260_000_000: "1.3 Gbit/s",
		5_000_000_000_000: "5000 Gbit/s"} {
		assert.Equal(t, want, Rate(bits))
	}
}
