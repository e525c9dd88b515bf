package apart

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	seccomp "github.com/elastic/go-seccomp-bpf"
	"github.com/elastic/go-seccomp-bpf/arch"
	"golang.org/x/sys/unix"
)

// confine cuts the process off from files and the network, for good: it may open
// nothing more, start nothing, and take no more memory and processor time than
// whoever watches it would ever let it. It returns what could not be done.
func confine() (warning string) {
	// The runtime opens what it needs for its timers now, for later it cannot.
	time.Sleep(time.Millisecond)
	for what, most := range map[int]uint64{
		unix.RLIMIT_CORE:   0,
		unix.RLIMIT_FSIZE:  0,
		unix.RLIMIT_NOFILE: 0, // what is open stays open
		unix.RLIMIT_DATA:   uint64(usual.Memory) * 2,
		unix.RLIMIT_CPU:    600, // seconds: the end of one that nobody watches any more
	} {
		if err := unix.Setrlimit(what, &unix.Rlimit{Cur: most, Max: most}); err != nil {
			warning = fmt.Sprintf("a limit cannot be set: %v", err)
		}
	}
	filter := seccomp.Filter{NoNewPrivs: true, Flag: seccomp.FilterFlagTSync, Policy: seccomp.Policy{
		DefaultAction: seccomp.ActionAllow,
		Syscalls:      []seccomp.SyscallGroup{{Action: seccomp.ActionErrno, Names: refused()}},
	}}
	if err := seccomp.LoadFilter(filter); err != nil {
		warning = fmt.Sprintf("seccomp: %v", err)
	}
	if f, err := os.Open("/"); err == nil {
		_ = f.Close()
		warning = "files can be opened all the same"
	}
	return warning
}

// refused are the calls of the operating system that reading a file never needs, as far
// as this kind of processor has them: newer ones lack the older calls.
func refused() (names []string) {
	here, err := arch.GetInfo("")
	if err != nil {
		return nil // loading the filter says so
	}
	for _, name := range strings.Fields(`socket socketpair connect bind listen accept accept4 sendto sendmsg recvfrom recvmsg
		open openat openat2 creat execve execveat fork vfork ptrace process_vm_readv process_vm_writev kill tkill
		unlink unlinkat rename renameat renameat2 mkdir mkdirat rmdir link linkat symlink symlinkat mknod mknodat
		chmod fchmodat chown lchown fchownat truncate ftruncate mount umount2 chroot pivot_root setns unshare
		init_module finit_module delete_module bpf perf_event_open keyctl add_key request_key prlimit64 setrlimit
		io_uring_setup reboot swapon swapoff`) {
		if _, known := here.SyscallNames[name]; known {
			names = append(names, name)
		}
	}
	return names
}

// memoryOf returns how many bytes a process holds in memory, 0 if that is not known.
func memoryOf(pid int) int {
	raw, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/statm")
	if err != nil {
		return 0
	}
	fields := strings.Fields(string(raw))
	if len(fields) < 2 {
		return 0
	}
	pages, err := strconv.Atoi(fields[1])
	if err != nil {
		return 0
	}
	return pages * os.Getpagesize()
}
