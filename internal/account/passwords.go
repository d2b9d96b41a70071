package account

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"
)

// Passwords are hashed with argon2id, with the second set of parameters that
// RFC 9106, section 4, recommends.
const (
	argonPasses  = 3
	argonMemory  = 64 << 10 // KiB
	argonThreads = 4
	argonLength  = 32
)

// hashing lets two hashes be made at once: each takes argonMemory.
var hashing = make(chan struct{}, 2)

func argon(password string, salt []byte, passes, memory uint32, threads uint8, length uint32) []byte {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2.IDKey([]byte(password), salt, passes, memory, threads, length)
}

// hashPassword returns a hash in the PHC string format.
func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	sum := argon(password, salt, argonPasses, argonMemory, argonThreads, argonLength)
	code := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonPasses, argonThreads,
		code.EncodeToString(salt), code.EncodeToString(sum))
}

// rightPassword holds a password against a hash, in the same time whatever is
// wrong with it.
func rightPassword(password, hash string) bool {
	var version int
	var memory, passes uint32
	var threads uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 {
		return false
	}
	if _, err := fmt.Sscanf(parts[2]+" "+parts[3], "v=%d m=%d,t=%d,p=%d", &version, &memory, &passes,
		&threads); err != nil || parts[1] != "argon2id" || version != argon2.Version {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	want, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil || len(want) == 0 {
		return false
	}
	return subtle.ConstantTimeCompare(argon(password, salt, passes, memory, threads, uint32(len(want))), want) == 1
}
