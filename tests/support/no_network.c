// Loaded before the C library (LD_PRELOAD): every socket but one of this machine's own (AF_UNIX, the
// display's) is written down in the file that EDGE_SOCKETS names, and refused.
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

int socket(int domain, int type, int protocol) {
  static __typeof__(&socket) real;
  if (!real) *(void**)&real = dlsym(RTLD_NEXT, "socket");
  if (domain == AF_UNIX) return real(domain, type, protocol);
  const char* file = getenv("EDGE_SOCKETS");
  const int fd = file ? open(file, O_WRONLY | O_CREAT | O_APPEND, 0600) : -1;
  if (fd >= 0) {
    char line[128];
    snprintf(line, sizeof line, "%s opened a socket of family %d\n", program_invocation_short_name, domain);
    if (write(fd, line, strlen(line)) < 0) abort();
    close(fd);
  }
  errno = EACCES;
  return -1;
}
