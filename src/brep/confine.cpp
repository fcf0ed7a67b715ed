#include "brep/confine.h"

#include <cerrno>
#include <csignal>
#include <initializer_list>
#include <sched.h>
#include <seccomp.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#if defined(__SANITIZE_ADDRESS__) // gcc's word
#define LUMSK_ADDRESS_SANITIZER 1
#elif defined(__has_feature) // clang's
#define LUMSK_ADDRESS_SANITIZER __has_feature(address_sanitizer)
#else
#define LUMSK_ADDRESS_SANITIZER 0
#endif

namespace lumsk::brep {

namespace {

// landlock(7); the headers of older systems know less than the system may have.
constexpr long kCreateRuleset = 444, kRestrictSelf = 446, kCloseRange = 436;
constexpr std::uint32_t kAskVersion = 1;
struct Ruleset {
  std::uint64_t files = 0, network = 0, scoped = 0;
};

bool closeFilesToCome() {
  const int version = landlockVersion();
  if (version == 0) return true;
  Ruleset all;
  all.files = (1ull << 13) - 1;
  if (version >= 2) all.files |= 1ull << 13; // linking from elsewhere
  if (version >= 3) all.files |= 1ull << 14; // truncating
  if (version >= 5) all.files |= 1ull << 15; // devices
  if (version >= 4) all.network = 3;         // binding and connecting
  if (version >= 6) all.scoped = 3;          // sockets without a file, signals
  const size_t size = version >= 6 ? sizeof all : version >= 4 ? 2 * sizeof all.files : sizeof all.files;
  const int rules = int(::syscall(kCreateRuleset, &all, size, 0));
  if (rules < 0) return false;
  const bool done = ::syscall(kRestrictSelf, rules, 0) == 0; // there is no rule that allows anything
  ::close(rules);
  return done;
}

bool closeCalls() {
  const scmp_filter_ctx filter = ::seccomp_init(SCMP_ACT_ALLOW);
  if (!filter) return false;
  bool ok = true;
  const auto refuse = [&](int call, std::uint32_t error = EPERM) {
    if (call >= 0) ok = ::seccomp_rule_add(filter, SCMP_ACT_ERRNO(error), call, 0) == 0 && ok; // others are not of this machine
  };
  for (int call : {SCMP_SYS(socket), SCMP_SYS(socketpair), SCMP_SYS(connect), SCMP_SYS(bind), SCMP_SYS(listen), SCMP_SYS(accept), SCMP_SYS(accept4),
                   SCMP_SYS(execve), SCMP_SYS(execveat), SCMP_SYS(fork), SCMP_SYS(vfork), SCMP_SYS(kill), SCMP_SYS(pidfd_open), SCMP_SYS(pidfd_getfd),
                   SCMP_SYS(ptrace), SCMP_SYS(process_vm_readv), SCMP_SYS(process_vm_writev), SCMP_SYS(setns), SCMP_SYS(unshare), SCMP_SYS(chroot),
                   SCMP_SYS(pivot_root), SCMP_SYS(mount), SCMP_SYS(umount2), SCMP_SYS(open_by_handle_at), SCMP_SYS(mknod), SCMP_SYS(mknodat),
                   SCMP_SYS(chmod), SCMP_SYS(fchmod), SCMP_SYS(fchmodat), SCMP_SYS(chown), SCMP_SYS(fchown), SCMP_SYS(lchown), SCMP_SYS(fchownat),
                   SCMP_SYS(utime), SCMP_SYS(utimes), SCMP_SYS(utimensat), SCMP_SYS(futimesat), SCMP_SYS(setxattr), SCMP_SYS(lsetxattr),
                   SCMP_SYS(fsetxattr), SCMP_SYS(removexattr), SCMP_SYS(lremovexattr), SCMP_SYS(fremovexattr), SCMP_SYS(truncate), SCMP_SYS(bpf),
                   SCMP_SYS(perf_event_open), SCMP_SYS(userfaultfd), SCMP_SYS(keyctl), SCMP_SYS(add_key), SCMP_SYS(request_key), SCMP_SYS(init_module),
                   SCMP_SYS(finit_module), SCMP_SYS(kexec_load), SCMP_SYS(io_uring_setup), SCMP_SYS(io_uring_enter), SCMP_SYS(io_uring_register)})
    refuse(call);
  // Threads may be made, processes not. The newer call hides its flags from filters: the library falls back to the older.
  refuse(SCMP_SYS(clone3), ENOSYS);
  ok = ::seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), SCMP_SYS(clone), 1, SCMP_A0(SCMP_CMP_MASKED_EQ, CLONE_THREAD, 0)) == 0 && ok;
  ok = ok && ::seccomp_load(filter) == 0;
  ::seccomp_release(filter);
  return ok;
}

void limit(__rlimit_resource what, std::uint64_t most, std::uint64_t beyond = 0) {
  const rlimit both{most, most + beyond};
  ::setrlimit(what, &both);
}

} // namespace

int landlockVersion() {
  const long version = ::syscall(kCreateRuleset, nullptr, 0, kAskVersion);
  return version > 0 ? int(version) : 0;
}

bool confine(const Confinement& c) {
  if (::syscall(kCloseRange, c.handles, ~0u, 0) != 0) // before Linux 5.9
    for (int h = c.handles; h < 4096; ++h) ::close(h);
#if !LUMSK_ADDRESS_SANITIZER // which takes the address space for itself
  limit(RLIMIT_AS, c.memoryBytes);
#endif
  limit(RLIMIT_CPU, c.seconds, 5); // first told, then killed
  limit(RLIMIT_FSIZE, c.memoryBytes); // of the answer, which is in memory
  limit(RLIMIT_NOFILE, 64);
  limit(RLIMIT_CORE, 0);
  return ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0 && closeFilesToCome() && closeCalls();
}

} // namespace lumsk::brep
