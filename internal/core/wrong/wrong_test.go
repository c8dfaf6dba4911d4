package wrong

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestValue(t *testing.T) {
	err := Value("write 80", "%q is no %s", "x", "port")
	assert.EqualError(t, err, `"x" is no port`)
	assert.Equal(t, "write 80", Right(err))
	assert.Equal(t, "write 80", Right(fmt.Errorf("in the rule: %w", err)), "also where another error is around it")
	assert.Empty(t, Right(errors.New("the disk is full")))
	assert.Empty(t, Right(nil))
	assert.Empty(t, Right(Value("", "no cure is known")))
}
