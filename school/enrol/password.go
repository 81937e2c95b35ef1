package enrol

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"

	"readymargin/school"
)

// argon2id with 19 MiB and two passes, as OWASP's Password Storage Cheat
// Sheet gives for servers: a whole class signs in at the same minute.
const (
	argonMemory = 19 * 1024 // KiB
	argonPasses = 2
	argonSalt   = 16 // bytes
	argonKey    = 32
)

// minPassword is in characters.
const minPassword = 8

// CheckPassword says what is wrong with a new password.
func CheckPassword(password string) error {
	if n := utf8.RuneCountInString(password); n < minPassword || n > 200 {
		return school.Refuse("password length", "password", "")
	}
	return nil
}

// hash waits for its turn: hashes take memory.
func (s *Accounts) hash(ctx context.Context, password string) (string, error) {
	leave, err := s.hashing.Enter(ctx)
	if err != nil {
		return "", err
	}
	defer leave()
	return hashOf(password), nil
}

// hashOf returns a password's hash in the PHC string format, with its
// parameters.
func hashOf(password string) string {
	salt := make([]byte, argonSalt)
	rand.Read(salt)
	key := argon2.IDKey([]byte(password), salt, argonPasses, argonMemory, 1, argonKey)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonMemory, argonPasses, b64(salt), b64(key))
}

// errHash says that a stored hash is none.
var errHash = errors.New("school: a stored password is in no known form")

// matches compares a password with a hash, whose parameters may be older ones.
func matches(password, hash string) (bool, error) {
	parts := strings.Split(hash, "$")
	var version int
	var memory, passes uint32
	var threads uint8
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false, errHash
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false, errHash
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &passes, &threads); err != nil || memory > 1<<20 || passes == 0 || threads == 0 {
		return false, errHash
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	key, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(key) == 0 {
		return false, errHash
	}
	return subtle.ConstantTimeCompare(key, argon2.IDKey([]byte(password), salt, passes, memory, threads, uint32(len(key)))) == 1, nil
}

// nobodysHash is compared with when the account does not exist, so that the
// time of an answer does not tell.
var nobodysHash = sync.OnceValue(func() string { return hashOf(rand.Text()) })
