package aloud

import (
	"bytes"
	"encoding/binary"
	"errors"
)

// header is how many bytes of a WAV stand before its samples, of one that WAV has made.
const header = 44

// WAV makes a file of samples of 16 bits on one channel, so many a second.
func WAV(samples []byte, rate int) []byte {
	var b bytes.Buffer
	b.WriteString("RIFF")
	binary.Write(&b, binary.LittleEndian, uint32(header-8+len(samples)))
	b.WriteString("WAVEfmt ")
	for _, v := range []any{uint32(16), uint16(1), uint16(1), uint32(rate), uint32(2 * rate), uint16(2), uint16(16)} {
		binary.Write(&b, binary.LittleEndian, v)
	}
	b.WriteString("data")
	binary.Write(&b, binary.LittleEndian, uint32(len(samples)))
	b.Write(samples)
	return b.Bytes()
}

// ErrWAV says that a file is not as WAV makes it.
var ErrWAV = errors.New("aloud: not a WAV of samples of 16 bits on one channel")

// Samples returns what WAV was made of.
func Samples(wav []byte) (samples []byte, rate int, err error) {
	if len(wav) < header || string(wav[:4]) != "RIFF" || string(wav[36:40]) != "data" {
		return nil, 0, ErrWAV
	}
	return wav[header:], int(binary.LittleEndian.Uint32(wav[24:])), nil
}
