// Package fence shuts the codec worker in: it reads bytes that strangers made. What the
// kernel offers is used, and what it does not is left out: limits on resources, no new
// privileges, no files but libraries (Landlock), no sockets and no other processes
// (seccomp).
package fence

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"syscall"
	"unsafe"

	"golang.org/x/sys/unix"
)

// Inside is the argument of a worker that is shut in already.
const Inside = "fenced"

// Enter shuts the process in. Landlock counts for one thread and what that one starts, so
// the program is started once more by it, in the same process; Enter returns there.
func Enter() error {
	if len(os.Args) == 2 && os.Args[1] == Inside {
		return nil
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	if err := limit(); err != nil {
		return err
	}
	if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
		return fmt.Errorf("no new privileges: %w", err)
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if err := hideFiles(self); err != nil && !missing(err) {
		return fmt.Errorf("files: %w", err)
	}
	if err := refuseCalls(); err != nil && !missing(err) {
		return fmt.Errorf("system calls: %w", err)
	}
	return syscall.Exec(self, []string{os.Args[0], Inside}, []string{})
}

// missing says that a kernel, or a sandbox around us, does not have something.
func missing(err error) bool {
	return errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.EPERM)
}

// limit bounds what needs bounds however it goes.
func limit() error {
	const files = 64
	for what, most := range map[int]uint64{unix.RLIMIT_CORE: 0, unix.RLIMIT_FSIZE: 0, unix.RLIMIT_NOFILE: files} {
		if err := unix.Setrlimit(what, &unix.Rlimit{Cur: most, Max: most}); err != nil {
			return fmt.Errorf("limit %d: %w", what, err)
		}
	}
	return nil
}

// libraries are what the program may read: what its loader looks for.
var libraries = []string{"/lib", "/lib64", "/usr/lib", "/usr/lib64", "/usr/local/lib", "/etc/ld.so.cache"}

// hideFiles takes away all files but libraries and the program itself (landlock(7)).
func hideFiles(self string) error {
	const all = unix.LANDLOCK_ACCESS_FS_EXECUTE | unix.LANDLOCK_ACCESS_FS_WRITE_FILE | unix.LANDLOCK_ACCESS_FS_READ_FILE | unix.LANDLOCK_ACCESS_FS_READ_DIR |
		unix.LANDLOCK_ACCESS_FS_REMOVE_DIR | unix.LANDLOCK_ACCESS_FS_REMOVE_FILE | unix.LANDLOCK_ACCESS_FS_MAKE_CHAR | unix.LANDLOCK_ACCESS_FS_MAKE_DIR |
		unix.LANDLOCK_ACCESS_FS_MAKE_REG | unix.LANDLOCK_ACCESS_FS_MAKE_SOCK | unix.LANDLOCK_ACCESS_FS_MAKE_FIFO | unix.LANDLOCK_ACCESS_FS_MAKE_BLOCK |
		unix.LANDLOCK_ACCESS_FS_MAKE_SYM
	attr := unix.LandlockRulesetAttr{Handled_access_fs: all}
	// The first version knows only the first member; later kernels take it alone, too.
	fd, _, errno := unix.Syscall(unix.SYS_LANDLOCK_CREATE_RULESET, uintptr(unsafe.Pointer(&attr)), unsafe.Sizeof(attr.Handled_access_fs), 0)
	if errno != 0 {
		return errno
	}
	defer func() { _ = unix.Close(int(fd)) }()
	for _, path := range append(libraries, self) {
		if err := show(int(fd), path); err != nil && !errors.Is(err, unix.ENOENT) {
			return fmt.Errorf("%s: %w", filepath.Base(path), err)
		}
	}
	if _, _, errno := unix.Syscall(unix.SYS_LANDLOCK_RESTRICT_SELF, fd, 0, 0); errno != 0 {
		return errno
	}
	return nil
}

// show lets a file, or all below a folder, be read and run.
func show(ruleset int, path string) error {
	fd, err := unix.Open(path, unix.O_PATH|unix.O_CLOEXEC, 0)
	if err != nil {
		return err
	}
	defer func() { _ = unix.Close(fd) }()
	var st unix.Stat_t
	if err := unix.Fstat(fd, &st); err != nil {
		return err
	}
	rule := unix.LandlockPathBeneathAttr{Allowed_access: unix.LANDLOCK_ACCESS_FS_EXECUTE | unix.LANDLOCK_ACCESS_FS_READ_FILE, Parent_fd: int32(fd)}
	if st.Mode&unix.S_IFMT == unix.S_IFDIR {
		rule.Allowed_access |= unix.LANDLOCK_ACCESS_FS_READ_DIR
	}
	_, _, errno := unix.Syscall6(unix.SYS_LANDLOCK_ADD_RULE, uintptr(ruleset), unix.LANDLOCK_RULE_PATH_BENEATH, uintptr(unsafe.Pointer(&rule)), 0, 0, 0)
	if errno != 0 {
		return errno
	}
	return nil
}

// refused are system calls that a worker has no use for.
var refused = []uint32{
	unix.SYS_SOCKET, unix.SYS_SOCKETPAIR, unix.SYS_CONNECT, unix.SYS_BIND, unix.SYS_LISTEN, unix.SYS_ACCEPT4,
	unix.SYS_PTRACE, unix.SYS_PROCESS_VM_READV, unix.SYS_PROCESS_VM_WRITEV, unix.SYS_KEXEC_LOAD, unix.SYS_BPF, unix.SYS_PERF_EVENT_OPEN,
	unix.SYS_USERFAULTFD, unix.SYS_MOUNT, unix.SYS_UMOUNT2, unix.SYS_PIVOT_ROOT, unix.SYS_CHROOT, unix.SYS_SETNS, unix.SYS_UNSHARE,
	unix.SYS_INIT_MODULE, unix.SYS_FINIT_MODULE, unix.SYS_DELETE_MODULE, unix.SYS_ADD_KEY, unix.SYS_REQUEST_KEY, unix.SYS_KEYCTL,
	unix.SYS_OPEN_BY_HANDLE_AT, unix.SYS_IO_URING_SETUP,
}

// The offsets in struct seccomp_data.
const (
	numberAt = 0
	archAt   = 4
)

var arches = map[string]uint32{"amd64": unix.AUDIT_ARCH_X86_64, "arm64": unix.AUDIT_ARCH_AARCH64}

// refuseCalls has system calls answered with EPERM (seccomp(2)).
func refuseCalls() error {
	arch, ok := arches[runtime.GOARCH]
	if !ok {
		return unix.ENOSYS
	}
	load := func(at uint32) unix.SockFilter {
		return unix.SockFilter{Code: unix.BPF_LD | unix.BPF_W | unix.BPF_ABS, K: at}
	}
	give := func(what uint32) unix.SockFilter { return unix.SockFilter{Code: unix.BPF_RET | unix.BPF_K, K: what} }
	equal := func(k uint32, yes, no uint8) unix.SockFilter {
		return unix.SockFilter{Code: unix.BPF_JMP | unix.BPF_JEQ | unix.BPF_K, K: k, Jt: yes, Jf: no}
	}
	const refuse = unix.SECCOMP_RET_ERRNO | uint32(unix.EPERM)
	program := []unix.SockFilter{load(archAt), equal(arch, 1, 0), give(unix.SECCOMP_RET_KILL_PROCESS), load(numberAt)}
	for i, call := range refused {
		program = append(program, equal(call, uint8(len(refused)-i), 0)) // to the last instruction
	}
	program = append(program, give(unix.SECCOMP_RET_ALLOW), give(refuse))
	filter := unix.SockFprog{Len: uint16(len(program)), Filter: &program[0]}
	_, _, errno := unix.Syscall(unix.SYS_SECCOMP, unix.SECCOMP_SET_MODE_FILTER, unix.SECCOMP_FILTER_FLAG_TSYNC, uintptr(unsafe.Pointer(&filter)))
	runtime.KeepAlive(program)
	if errno != 0 {
		return errno
	}
	return nil
}
