package refuse_test

import (
	"errors"
	"fmt"
	"io"
	"testing"

	"blendseam/core/refuse"
)

func ExampleSentence() {
	fmt.Println(refuse.Sentence("äpfel lie in the way"))
	fmt.Println(refuse.Sentence("What now?"))
	// Output:
	// Äpfel lie in the way.
	// What now?
}

// A refusal keeps what it stands for, through what is wrapped around it.
func TestARefusalStandsForAnError(t *testing.T) {
	err := fmt.Errorf("scene: %w", refuse.Errorf("the file ends too early: %w", io.ErrUnexpectedEOF))
	var r *refuse.Error
	if !errors.As(err, &r) || r.Error() != "the file ends too early: unexpected EOF" ||
		!errors.Is(err, io.ErrUnexpectedEOF) {
		t.Errorf("%#v", err)
	}
	if r.Sentence() != "The file ends too early: unexpected EOF." {
		t.Errorf("%q", r.Sentence())
	}
	if r = refuse.Errorf("%s is gone", "take 1.wav"); r.Sentence() != "take 1.wav is gone" {
		t.Errorf("%q", r.Sentence())
	}
	if r = refuse.Because(io.EOF); r.Error() != "EOF" || !errors.Is(r, io.EOF) {
		t.Errorf("%#v", r)
	}
}
