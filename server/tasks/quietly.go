package tasks

import (
	"runtime"
	"syscall"
)

// courtesy is by how much long work steps back behind what people wait for.
const courtesy = 10

// quietly runs work on a thread of its own that gives way to all others. The thread
// ends with the work: its priority cannot be raised again.
func quietly(work func() error) error {
	done := make(chan error, 1)
	go func() {
		runtime.LockOSThread()
		_ = syscall.Setpriority(syscall.PRIO_PROCESS, syscall.Gettid(), courtesy)
		done <- work()
	}()
	return <-done
}
