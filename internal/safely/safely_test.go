package safely

import (
	"errors"
	"strings"
	"testing"
)

func TestAPanicBecomesAnError(t *testing.T) {
	fault := errors.New("of its own")
	if err := Do(func() error { return fault }); err != fault {
		t.Errorf("an error became %v", err)
	}
	err := Do(func() error {
		var boats []string
		return errors.New(boats[7])
	})
	var broken *Broken
	if !errors.As(err, &broken) || !strings.Contains(err.Error(), "index out of range") || !strings.Contains(broken.Stack, "safely_test.go") {
		t.Errorf("a panic became %v", err)
	}
}
