// Loaded before the C library (LD_PRELOAD) of a process of ours: the n-th call that changes a file below a
// folder fails, or ends the process in the middle of it.
//   EDGE_FAIL_UNDER  the folder
//   EDGE_FAIL_AT     n, from 0
//   EDGE_FAIL_HOW    full: no room from then on; sync: only syncing fails, from then on; kill: half of what
//   was to
//                    be written is, and the process is killed; memory: the n-th request for memory fails,
//                    once
//   EDGE_FAIL_MET    a file that is made when it happens
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <unistd.h>

enum How { kNothing, kFull, kSync, kKill, kMemory };
static enum How how;
static const char *under, *met;
static atomic_long left;

__attribute__((constructor)) static void start(void) {
  under = getenv("EDGE_FAIL_UNDER"), met = getenv("EDGE_FAIL_MET");
  const char *at = getenv("EDGE_FAIL_AT"), *word = getenv("EDGE_FAIL_HOW");
  if (!under || !at || !word) return;
  left = atol(at);
  how = !strcmp(word, "full")     ? kFull
        : !strcmp(word, "sync")   ? kSync
        : !strcmp(word, "kill")   ? kKill
        : !strcmp(word, "memory") ? kMemory
                                  : kNothing;
}

static void say_met(void) {
  if (met) syscall(SYS_close, syscall(SYS_openat, AT_FDCWD, met, O_CREAT | O_WRONLY, 0600));
}

static int is_below(const char* path) {
  const size_t n = strlen(under);
  return strncmp(path, under, n) == 0 && (path[n] == '/' || path[n] == 0);
}

static int is_ours(int fd) {
  char link[64], path[4096];
  snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  const ssize_t n = readlink(link, path, sizeof path - 1);
  if (n <= 0) return 0;
  path[n] = 0;
  return is_below(path);
}

// 1: this call is to fail.
static int fails(int isSync) {
  if (how == kSync && !isSync) return 0;
  const long now = atomic_fetch_sub(&left, 1);
  if (now == 0) say_met();
  return now <= 0;
}
static int hits(int fd, int isSync) {
  return how != kNothing && how != kMemory && is_ours(fd) && fails(isSync);
}
static int refuse(int isSync) {
  if (how == kKill) kill(getpid(), SIGKILL);
  errno = isSync ? EIO : ENOSPC;
  return -1;
}

#define REAL(name)               \
  static __typeof__(&name) real; \
  if (!real) *(void**)&real = dlsym(RTLD_NEXT, #name)

ssize_t write(int fd, const void* bytes, size_t n) {
  REAL(write);
  if (hits(fd, 0)) {
    if (how == kKill && real(fd, bytes, n / 2) < 0) return refuse(0);
    return refuse(0);
  }
  return real(fd, bytes, n);
}
ssize_t pwrite64(int fd, const void* bytes, size_t n, off64_t at) {
  REAL(pwrite64);
  if (hits(fd, 0)) {
    if (how == kKill && real(fd, bytes, n / 2, at) < 0) return refuse(0);
    return refuse(0);
  }
  return real(fd, bytes, n, at);
}
ssize_t pwrite(int fd, const void* bytes, size_t n, off_t at) {
  return pwrite64(fd, bytes, n, at);
}
ssize_t writev(int fd, const struct iovec* parts, int n) {
  REAL(writev);
  if (hits(fd, 0)) {
    if (how == kKill && real(fd, parts, n / 2) < 0) return refuse(0);
    return refuse(0);
  }
  return real(fd, parts, n);
}
int ftruncate64(int fd, off64_t size) {
  REAL(ftruncate64);
  return hits(fd, 0) ? refuse(0) : real(fd, size);
}
int ftruncate(int fd, off_t size) {
  return ftruncate64(fd, size);
}
int fsync(int fd) {
  REAL(fsync);
  return hits(fd, 1) ? refuse(1) : real(fd);
}
int fdatasync(int fd) {
  REAL(fdatasync);
  return hits(fd, 1) ? refuse(1) : real(fd);
}
int rename(const char* from, const char* to) {
  REAL(rename);
  if (how != kNothing && how != kMemory && is_below(to) && fails(0)) return refuse(0);
  return real(from, to);
}

extern void* __libc_malloc(size_t);
extern void* __libc_calloc(size_t, size_t);
extern void* __libc_realloc(void*, size_t);
static int no_memory(void) {
  if (how != kMemory || atomic_fetch_sub(&left, 1) != 0) return 0;
  say_met();
  errno = ENOMEM;
  return 1;
}
void* malloc(size_t n) {
  return no_memory() ? NULL : __libc_malloc(n);
}
void* calloc(size_t n, size_t size) {
  return no_memory() ? NULL : __libc_calloc(n, size);
}
void* realloc(void* p, size_t n) {
  return no_memory() ? NULL : __libc_realloc(p, n);
}
