package school

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"strings"
)

// alphabet has no letters that are taken for one another, in print or by ear.
const alphabet = "ACDEFHJKLMNPQRTUVWXY3479"

// NewCode returns so many random letters that people can read out and type.
func NewCode(n int) string {
	b := make([]byte, n)
	rand.Read(b)
	for i := range b {
		b[i] = alphabet[int(b[i])%len(alphabet)] // 24 letters of 256: the bias is under one part in ten
	}
	return string(b)
}

// PlainCode brings what somebody typed into the form that NewCode gives.
func PlainCode(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(alphabet, r) {
			return r
		}
		return -1
	}, strings.ToUpper(s))
}

// CodeHash returns what is kept of a code, however it was typed.
func CodeHash(token string) string { return TokenHash(PlainCode(token)) }

// TokenHash returns what is kept of a token: its SHA-256.
func TokenHash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}
