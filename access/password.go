package access

import (
	"strings"

	"github.com/ccojocar/zxcvbn-go"
)

const (
	// Guesses that a password must be worth: ten to this.
	leastGuesses = 6

	// What is looked at, in bytes: the estimate takes the longer the longer a password is.
	longestEstimated = 64
)

// Weak says why a password is guessed too easily; empty for one that is not. account is the
// name of the account that it is for.
func Weak(password, account string) string {
	if strings.TrimSpace(password) == "" {
		return "a password of blanks is none: choose several unrelated words"
	}
	part := password[:min(len(password), longestEstimated)]
	strength := zxcvbn.PasswordStrength(part, []string{account, "webostrum", "camera", "engineer"})
	const bitsPerDigit = 3.3219 // log2 of ten
	if strength.Entropy < leastGuesses*bitsPerDigit {
		return "the password is on lists of common passwords, or guessed like one: choose several unrelated words"
	}
	return ""
}
