// SPDX-License-Identifier: GPL-3.0-or-later
// Loaded in front of a program (LD_PRELOAD): the n-th of its calls of one kind fails, as a disk that is full
// or broken or memory that has run out would make it fail. RIVLEN_FAULT=CALL:N:ERRNO, where CALL is one of
// write, sync, rename, open, read or memory (allocations of at least 16 kB, which are those that fail); with
// ERRNO 0 the program is killed there. RIVLEN_FAULT_COUNT=FILE: how many calls of that kind there were is
// written there at the end.
#include <dlfcn.h>
#include <fcntl.h>
#include <sys/types.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

enum class Call { None, Write, Sync, Rename, Open, Read, Memory };

struct Plan {
    Call call = Call::None;
    long at = 0;
    int error = EIO;
};

const Plan& plan() {
    static const Plan read = [] {
        Plan p;
        char kind[16] = {};  // NOLINT(cppcoreguidelines-avoid-c-arrays): for sscanf
        const char* text = std::getenv("RIVLEN_FAULT");
        if (text == nullptr || std::sscanf(text, "%15[^:]:%ld:%d", kind, &p.at, &p.error) != 3) return p;
        constexpr const char* kKinds[] = {"", "write", "sync", "rename", "open", "read", "memory"};  // NOLINT
        for (int i = 1; i < 7; ++i) {
            if (std::strcmp(kind, kKinds[i]) == 0) p.call = static_cast<Call>(i);
        }
        return p;
    }();
    return read;
}

std::atomic<long> g_calls{0};

// What libraries do before main is not ours to survive.
std::atomic<bool> g_in_main{false};

// Whether this call is the one.
bool fails(Call call) {
    if (!g_in_main || plan().call != call) return false;
    const bool now = ++g_calls == plan().at;
    if (now && plan().error == 0) ::kill(::getpid(), SIGKILL);
    if (now) errno = plan().error;
    return now;
}

template <typename F>
F* next(const char* name) {
    return reinterpret_cast<F*>(::dlsym(RTLD_NEXT, name));
}

struct AtEnd {
    ~AtEnd() {
        const char* file = std::getenv("RIVLEN_FAULT_COUNT");
        if (file == nullptr) return;
        char text[32];  // NOLINT(cppcoreguidelines-avoid-c-arrays)
        const int length = std::snprintf(text, sizeof text, "%ld\n", g_calls.load());
        const int fd = static_cast<int>(::syscall(257, AT_FDCWD, file, O_WRONLY | O_CREAT | O_TRUNC, 0600));
        if (fd < 0) return;
        if (::syscall(1, fd, text, length) < 0) std::abort();
        ::close(fd);
    }
} at_end;

bool is_ours(int fd) {
    return fd > 2;  // what is said to the terminal is not at stake
}

}  // namespace

using Main = int(int, char**, char**);
namespace {
Main* g_main = nullptr;
int main_of_the_program(int argc, char** argv, char** environment) {
    g_in_main = true;
    const int code = g_main(argc, argv, environment);
    g_in_main = false;
    return code;
}
}  // namespace

extern "C" {

int __libc_start_main(Main* main, int argc, char** argv, void (*init)(), void (*fini)(), void (*rtld_fini)(),
                      void* stack_end) {
    g_main = main;
    using Start = int(Main*, int, char**, void (*)(), void (*)(), void (*)(), void*);
    return next<Start>("__libc_start_main")(main_of_the_program, argc, argv, init, fini, rtld_fini,
                                            stack_end);
}

ssize_t write(int fd, const void* bytes, size_t count) {
    static auto* real = next<ssize_t(int, const void*, size_t)>("write");
    if (is_ours(fd) && fails(Call::Write)) return -1;
    return real(fd, bytes, count);
}
ssize_t pwrite64(int fd, const void* bytes, size_t count, off64_t at) {
    static auto* real = next<ssize_t(int, const void*, size_t, off64_t)>("pwrite64");
    if (fails(Call::Write)) return -1;
    return real(fd, bytes, count, at);
}
ssize_t pwrite(int fd, const void* bytes, size_t count, off_t at) {
    static auto* real = next<ssize_t(int, const void*, size_t, off_t)>("pwrite");
    if (fails(Call::Write)) return -1;
    return real(fd, bytes, count, at);
}
size_t fwrite(const void* bytes, size_t size, size_t count, FILE* file) {
    static auto* real = next<size_t(const void*, size_t, size_t, FILE*)>("fwrite");
    if (is_ours(::fileno(file)) && fails(Call::Write)) return count > 0 ? (count - 1) / 2 : 0;  // some of it
    return real(bytes, size, count, file);
}
int fflush(FILE* file) {
    static auto* real = next<int(FILE*)>("fflush");
    if (file != nullptr && is_ours(::fileno(file)) && fails(Call::Sync)) return EOF;
    return real(file);
}
int fsync(int fd) {
    static auto* real = next<int(int)>("fsync");
    if (fails(Call::Sync)) return -1;
    return real(fd);
}
int rename(const char* from, const char* to) {
    static auto* real = next<int(const char*, const char*)>("rename");
    if (fails(Call::Rename)) return -1;
    return real(from, to);
}
int linkat(int from_fd, const char* from, int to_fd, const char* to, int flags) {
    static auto* real = next<int(int, const char*, int, const char*, int)>("linkat");
    if (fails(Call::Rename)) return -1;
    return real(from_fd, from, to_fd, to, flags);
}
int open64(const char* path, int flags, ...) {
    static auto* real = next<int(const char*, int, ...)>("open64");
    va_list more;
    va_start(more, flags);
    const auto mode = va_arg(more, mode_t);
    va_end(more);
    if ((flags & (O_CREAT | O_TMPFILE)) != 0 && fails(Call::Open)) return -1;
    return real(path, flags, mode);
}
int open(const char* path, int flags, ...) {
    static auto* real = next<int(const char*, int, ...)>("open");
    va_list more;
    va_start(more, flags);
    const auto mode = va_arg(more, mode_t);
    va_end(more);
    if ((flags & (O_CREAT | O_TMPFILE)) != 0 && fails(Call::Open)) return -1;
    return real(path, flags, mode);
}
ssize_t read(int fd, void* bytes, size_t count) {
    static auto* real = next<ssize_t(int, void*, size_t)>("read");
    if (is_ours(fd) && fails(Call::Read)) return -1;
    return real(fd, bytes, count);
}
void* malloc(size_t size) {
    static auto* real = next<void*(size_t)>("malloc");
    if (size >= 16384 && fails(Call::Memory)) return nullptr;
    return real(size);
}
int posix_memalign(void** out, size_t alignment, size_t size) {
    static auto* real = next<int(void**, size_t, size_t)>("posix_memalign");
    if (size >= 16384 && fails(Call::Memory)) return ENOMEM;
    return real(out, alignment, size);
}

}  // extern "C"
