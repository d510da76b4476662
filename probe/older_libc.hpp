// Included before every file of a probe: the calls that moved from libdl and libpthread into libc in 2.34, by the
// versions that they have had before, which every C library still has. So a probe loads in a container with an older
// one.
#pragma once

#if defined(__x86_64__)
#define IDLEMETER_OLD(name, i386) asm(".symver " #name ", " #name "@GLIBC_2.2.5")
#elif defined(__i386__)
#define IDLEMETER_OLD(name, i386) asm(".symver " #name ", " #name "@GLIBC_" #i386)
#elif defined(__aarch64__)
#define IDLEMETER_OLD(name, i386) asm(".symver " #name ", " #name "@GLIBC_2.17")
#endif

IDLEMETER_OLD(dlclose, 2.0);
IDLEMETER_OLD(dlopen, 2.1);
IDLEMETER_OLD(dlvsym, 2.1);
IDLEMETER_OLD(pthread_create, 2.1);
IDLEMETER_OLD(pthread_join, 2.0);
IDLEMETER_OLD(pthread_mutex_trylock, 2.0);
IDLEMETER_OLD(pthread_sigmask, 2.0);
