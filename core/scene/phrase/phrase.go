package phrase

import (
	"fmt"
	"strings"
)

// Count returns a number of things in words: "1 clip", "2 clips".
func Count(n int, what string) string {
	if n != 1 && strings.HasSuffix(what, "ch") {
		what += "e"
	}
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// Either returns yes or no in words of its own.
func Either(is bool, yes, no string) string {
	if is {
		return yes
	}
	return no
}
