package stage_test

import "time"

const (
	testWait = 20 * time.Second
	testTick = 5 * time.Millisecond
)
