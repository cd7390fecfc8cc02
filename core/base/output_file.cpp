// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/output_file.h"

#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

namespace rivlen {

namespace fs = std::filesystem;

fs::path partial_path(const fs::path& target) {
    static std::atomic<unsigned> counter{0};
    // The extension stays last: libraries that choose a container by name must see the true one.
    return target.parent_path() / fmt::format(".{}.{}-{}.part{}", target.stem().string(), ::getpid(),
                                              ++counter, target.extension().string());
}

Error write_error(const fs::path& path, int errno_value) {
    if (errno_value == ENOSPC || errno_value == EDQUOT) {
        return make_error(
            ErrorKind::DiskFull,
            "The disk that holds \"{}\" is full; nothing was written. Free some space or choose "
            "another folder, then try again.",
            path.parent_path().string());
    }
    return make_error(ErrorKind::Io, "Cannot write \"{}\": {}. Check the folder and its permissions.",
                      path.string(), std::strerror(errno_value));
}

Status publish(const fs::path& partial, const fs::path& target) {
    std::error_code error;
    fs::rename(partial, target, error);
    if (error) {
        std::error_code ignored;
        fs::remove(partial, ignored);
        return write_error(target, error.value());
    }
    return {};
}

OutputFile::OutputFile(fs::path target, fs::path partial, std::FILE* file)
    : target_(std::move(target)), partial_(std::move(partial)), file_(file) {}

OutputFile::OutputFile(OutputFile&&) noexcept = default;

OutputFile& OutputFile::operator=(OutputFile&& other) noexcept {
    std::swap(target_, other.target_);
    std::swap(partial_, other.partial_);
    std::swap(file_, other.file_);
    return *this;
}

OutputFile::~OutputFile() {
    if (file_) {
        file_.reset();
        std::error_code ignored;
        fs::remove(partial_, ignored);
    }
}

Result<OutputFile> OutputFile::create(const fs::path& target) {
    fs::path partial = partial_path(target);
    std::FILE* file = std::fopen(partial.c_str(), "wb");
    if (file == nullptr) return write_error(target, errno);
    return OutputFile(target, std::move(partial), file);
}

Status OutputFile::write(std::span<const std::byte> bytes) {
    if (std::fwrite(bytes.data(), 1, bytes.size(), file_.get()) != bytes.size())
        return write_error(target_, errno);
    return {};
}

Status OutputFile::write_at(std::uint64_t offset, std::span<const std::byte> bytes) {
    const auto position = ::ftello(file_.get());
    if (::fseeko(file_.get(), static_cast<off_t>(offset), SEEK_SET) != 0) return write_error(target_, errno);
    if (auto status = write(bytes); !status) return status;
    if (::fseeko(file_.get(), position, SEEK_SET) != 0) return write_error(target_, errno);
    return {};
}

Result<fs::path> OutputFile::so_far() {
    if (std::fflush(file_.get()) != 0) return write_error(target_, errno);
    return partial_;
}

Status OutputFile::commit() {
    // fflush is where a full disk shows itself; fsync, so that a power cut does not leave an empty file.
    if (std::fflush(file_.get()) != 0 || ::fsync(::fileno(file_.get())) != 0)
        return write_error(target_, errno);
    file_.reset();
    return publish(partial_, target_);
}

bool same_file(const std::filesystem::path& a, const std::filesystem::path& b) {
    std::error_code error;
    return std::filesystem::equivalent(a, b, error) && !error;
}

Status write_text_file(const fs::path& target, std::string_view text) {
    auto file = OutputFile::create(target);
    if (!file) return file.error();
    if (auto status = file->write(std::as_bytes(std::span(text.data(), text.size()))); !status) return status;
    return file->commit();
}

Result<std::string> read_text_file(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    if (!stream) {
        return make_error(ErrorKind::NotFound,
                          "Cannot read \"{}\": {}. Check that the file is there and readable.", path.string(),
                          std::strerror(errno));
    }
    std::ostringstream text;
    text << stream.rdbuf();
    return text.str();
}

}  // namespace rivlen
