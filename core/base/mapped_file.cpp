// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/mapped_file.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <utility>

namespace rivlen {

namespace {

// Reading behind the end of a file that was cut short is a signal and no error value. The handler puts zeros
// where the file was and remembers that it did, and whoever reads goes on. It can only look at what lies
// fixed in memory.
struct Watched {
    std::atomic<const std::byte*> begin{nullptr};
    std::atomic<std::size_t> size{0};
    std::atomic<bool> cut{false};
};
constexpr std::size_t kMostWatched = 512;  // more mappings than that are not watched
std::array<Watched, kMostWatched> g_watched;

void put_zeros(int signal, siginfo_t* what, void*) {
    const auto* address = static_cast<const std::byte*>(what->si_addr);
    for (auto& watched : g_watched) {
        const std::byte* begin = watched.begin.load(std::memory_order_acquire);
        const std::size_t size = watched.size.load(std::memory_order_relaxed);
        if (begin == nullptr || address < begin || address >= begin + size) continue;
        const auto page = static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
        const std::size_t from = static_cast<std::size_t>(address - begin) / page * page;
        auto* at = const_cast<std::byte*>(begin) + from;  // NOLINT(cppcoreguidelines-pro-type-const-cast)
        watched.cut.store(true, std::memory_order_relaxed);
        if (::mmap(at, size - from, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) != MAP_FAILED)
            return;
    }
    ::signal(signal, SIG_DFL);  // none of ours: as if there were no handler
}

void watch_for_cut_files() {
    static const bool installed = [] {
        struct sigaction action {};
        action.sa_sigaction = put_zeros;
        action.sa_flags = SA_SIGINFO;
        return ::sigaction(SIGBUS, &action, nullptr) == 0;
    }();
    (void)installed;
}

struct Descriptor {
    int fd;
    ~Descriptor() {
        if (fd >= 0) ::close(fd);
    }
};
}  // namespace

Result<MappedFile> MappedFile::open(const std::filesystem::path& path) {
    const Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC)};
    if (file.fd < 0) {
        return make_error(ErrorKind::NotFound,
                          "Cannot open \"{}\": {}. Check that the file is there and readable.", path.string(),
                          std::strerror(errno));
    }
    struct stat facts {};
    if (::fstat(file.fd, &facts) != 0 || !S_ISREG(facts.st_mode)) {
        return make_error(ErrorKind::BadInput, "\"{}\" is not a file. Choose a file.", path.string());
    }
    if (facts.st_size == 0) {
        return make_error(ErrorKind::BadInput, "\"{}\" is empty. Choose another file.", path.string());
    }
    const auto size = static_cast<std::size_t>(facts.st_size);
    void* address = ::mmap(nullptr, size, PROT_READ, MAP_SHARED, file.fd, 0);
    if (address == MAP_FAILED) {
        return make_error(ErrorKind::Io,
                          "Cannot read \"{}\": {}. Close other programs or move the file to a local "
                          "disk, then try again.",
                          path.string(), std::strerror(errno));
    }
    return MappedFile(static_cast<const std::byte*>(address), size);
}

MappedFile::MappedFile(const std::byte* data, std::size_t size) : data_(data), size_(size) {
    watch_for_cut_files();
    for (std::size_t i = 0; i < kMostWatched; ++i) {
        const std::byte* free = nullptr;
        if (!g_watched[i].begin.compare_exchange_strong(free, data)) continue;
        g_watched[i].cut = false;
        g_watched[i].size = size;
        watched_ = static_cast<int>(i);
        return;
    }
}

bool MappedFile::intact() const {
    return watched_ < 0 || !g_watched[static_cast<std::size_t>(watched_)].cut.load(std::memory_order_relaxed);
}

MappedFile::MappedFile(MappedFile&& other) noexcept
    : data_(std::exchange(other.data_, nullptr)),
      size_(std::exchange(other.size_, 0)),
      watched_(std::exchange(other.watched_, -1)) {}

MappedFile& MappedFile::operator=(MappedFile&& other) noexcept {
    std::swap(data_, other.data_);
    std::swap(size_, other.size_);
    std::swap(watched_, other.watched_);
    return *this;
}

void MappedFile::drop_pages() const {
    if (data_ != nullptr) ::madvise(const_cast<std::byte*>(data_), size_, MADV_DONTNEED);  // NOLINT
}

MappedFile::~MappedFile() {
    if (watched_ >= 0) {
        auto& watched = g_watched[static_cast<std::size_t>(watched_)];
        watched.size = 0;
        watched.begin.store(nullptr, std::memory_order_release);
    }
    // munmap takes a pointer to non-const though it changes nothing that we could see.
    if (data_ != nullptr) ::munmap(const_cast<std::byte*>(data_), size_);  // NOLINT
}

}  // namespace rivlen
