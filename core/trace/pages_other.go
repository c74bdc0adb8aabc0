//go:build !linux

package trace

func large[T any](_ *Tree, in []T) []T { return in }
