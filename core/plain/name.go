package plain

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"strings"
)

// Name names what some values of the program's own types say: another for every change
// of them, of 24 hexadecimal digits.
func Name(parts ...any) string {
	h := sha256.New()
	enc := json.NewEncoder(h)
	for _, p := range parts {
		_ = enc.Encode(p) // of the program's own types
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// FileName is a name without what files cannot be called.
func FileName(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, r) || r < ' ' {
			return '-'
		}
		return r
	}, s)
}
