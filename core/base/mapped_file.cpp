// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/mapped_file.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

namespace rivlen {

namespace {
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

MappedFile::MappedFile(MappedFile&& other) noexcept
    : data_(std::exchange(other.data_, nullptr)), size_(std::exchange(other.size_, 0)) {}

MappedFile& MappedFile::operator=(MappedFile&& other) noexcept {
    std::swap(data_, other.data_);
    std::swap(size_, other.size_);
    return *this;
}

void MappedFile::drop_pages() const {
    if (data_ != nullptr) ::madvise(const_cast<std::byte*>(data_), size_, MADV_DONTNEED);  // NOLINT
}

MappedFile::~MappedFile() {
    // munmap takes a pointer to non-const though it changes nothing that we could see.
    if (data_ != nullptr) ::munmap(const_cast<std::byte*>(data_), size_);  // NOLINT
}

}  // namespace rivlen
