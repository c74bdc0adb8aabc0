package trace

import (
	"runtime"
	"unsafe"

	"golang.org/x/sys/unix"
)

// large moves a slice to memory of its own in huge pages, which saves walks of
// the page table in every query. The memory goes with the tree. Where the system
// refuses, the slice stays where it is.
func large[T any](owner *Tree, in []T) []T {
	var one T
	size := len(in) * int(unsafe.Sizeof(one))
	const huge = 2 << 20
	if size < huge {
		return in
	}
	mem, err := unix.Mmap(-1, 0, (size+huge-1)/huge*huge, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_ANON|unix.MAP_PRIVATE)
	if err != nil {
		return in
	}
	_ = unix.Madvise(mem, unix.MADV_HUGEPAGE) // only a wish
	out := unsafe.Slice((*T)(unsafe.Pointer(unsafe.SliceData(mem))), len(in))
	copy(out, in)
	runtime.AddCleanup(owner, func(m []byte) { _ = unix.Munmap(m) }, mem)
	return out
}
