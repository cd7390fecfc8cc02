// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/output_file.h"

#include <fcntl.h>
#include <sys/random.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstring>
#include <fstream>
#include <random>
#include <sstream>

namespace rivlen {

namespace fs = std::filesystem;

namespace {

// What nobody can guess, and so nobody can have put a link there.
std::uint64_t random_number() {
    std::uint64_t value = 0;
    if (::getrandom(&value, sizeof value, 0) != sizeof value) value = std::random_device{}();
    return value;
}

// The folder knows of the new name, too, when the power fails.
void sync_folder(const fs::path& folder) {
    const int fd = ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0) return;
    ::fsync(fd);
    ::close(fd);
}

}  // namespace

namespace {

// The process that a file of a name that partial_path() gives (".NAME.PID-RANDOM.part.EXT") is of; 0 for any
// other name: what is not surely one of those is somebody's file.
pid_t owner_of(const std::string& name) {
    constexpr std::size_t kRandomDigits = 16;
    const auto part = name.rfind(".part");
    if (!name.starts_with('.') || part == name.npos) return 0;
    const auto dot = name.rfind('.', part - 1);
    if (dot == name.npos || dot == 0) return 0;
    const char* const end = name.data() + part;
    long pid = 0;
    const auto number = std::from_chars(name.data() + dot + 1, end, pid);
    if (number.ec != std::errc() || number.ptr == end || *number.ptr != '-') return 0;
    std::uint64_t random = 0;
    const auto rest = std::from_chars(number.ptr + 1, end, random, 16);
    const bool whole = rest.ec == std::errc() && rest.ptr == end;
    return whole && end - number.ptr - 1 == kRandomDigits && pid > 0 ? static_cast<pid_t>(pid) : 0;
}

std::vector<fs::path> left_by_the_dead(const fs::path& folder, const std::string& beginning) {
    std::vector<fs::path> left;
    std::error_code error;
    for (fs::directory_iterator at(folder.empty() ? "." : folder, error), end; !error && at != end;
         at.increment(error)) {
        const std::string name = at->path().filename().string();
        if (!name.starts_with(beginning)) continue;
        const pid_t owner = owner_of(name);
        if (owner > 0 && ::kill(owner, 0) != 0 && errno == ESRCH) left.push_back(at->path());
    }
    return left;
}

void sweep(const fs::path& folder, const std::string& beginning) {
    for (const auto& path : left_by_the_dead(folder, beginning)) {
        std::error_code ignored;
        fs::remove(path, ignored);
    }
}

}  // namespace

fs::path partial_path(const fs::path& target) {
    const std::string beginning = fmt::format(".{}.", target.stem().string());
    sweep(target.parent_path(), beginning);  // what was left of earlier tries, whose processes are gone
    // The extension stays last: libraries that choose a container by name must see the true one.
    return target.parent_path() / fmt::format("{}{}-{:016x}.part{}", beginning, ::getpid(), random_number(),
                                              target.extension().string());
}

std::vector<LeftPartial> left_partials(const fs::path& folder) {
    std::vector<LeftPartial> out;
    for (auto& path : left_by_the_dead(folder, "")) {
        const std::string name = path.filename().string();
        const auto end = name.rfind('.', name.rfind(".part") - 1);
        fs::path target = folder / (name.substr(1, end - 1) + path.extension().string());
        out.push_back({std::move(path), std::move(target)});
    }
    return out;
}

void sweep_partials(const fs::path& folder) {
    sweep(folder, "");
}

Status prepare_work_folder(const fs::path& folder) {
    std::error_code error;
    const bool made = fs::create_directories(folder, error);
    if (error) return write_error(folder / "x", error.value());
    // One that was there may be for other things, too, and keeps its mode; what is written into it is its
    // owner's.
    if (made) fs::permissions(folder, fs::perms::owner_all, error);
    return {};
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
    if (const auto there = fs::status(target, error); fs::is_regular_file(there))
        fs::permissions(partial, there.permissions(), error);  // as what it replaces
    error.clear();
    fs::rename(partial, target, error);
    if (!error) sync_folder(target.parent_path());
    if (error) {
        std::error_code ignored;
        fs::remove(partial, ignored);
        return write_error(target, error.value());
    }
    return {};
}

namespace {

// What stood under a name that is about to be replaced; comes back unless it is let go.
class Kept {
  public:
    // Errors: DiskFull, Io.
    Status keep(const fs::path& target) {
        target_ = target;
        std::error_code error;
        if (!fs::is_regular_file(target, error)) return {};
        const fs::path beside = partial_path(target);
        fs::create_hard_link(target, beside, error);
        if (error) fs::copy_file(target, beside, error);  // where a file can have one name only
        if (error) {
            std::error_code ignored;
            fs::remove(beside, ignored);
            return write_error(target, error.value());
        }
        old_ = beside;
        return {};
    }
    void bring_back() {
        std::error_code ignored;
        if (old_.empty()) {
            fs::remove(target_, ignored);
        } else {
            fs::rename(old_, target_, ignored);
            if (!ignored) old_.clear();
        }
    }
    void let_go() {
        std::error_code ignored;
        if (!old_.empty()) fs::remove(old_, ignored);
    }

  private:
    fs::path target_, old_;
};

}  // namespace

Status publish_together(std::span<const CompleteFile> files) {
    std::vector<Kept> before(files.size());
    Status status;
    for (std::size_t i = 0; i < files.size() && status; ++i) status = before[i].keep(files[i].target);
    std::size_t moved = 0;
    while (status && moved < files.size()) {
        status = publish(files[moved].partial, files[moved].target);
        if (status) ++moved;
    }
    if (!status) {
        std::error_code ignored;
        for (std::size_t i = 0; i < moved; ++i) before[i].bring_back();
        for (const auto& file : files) fs::remove(file.partial, ignored);
    }
    for (auto& kept : before) kept.let_go();
    return status;
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

Result<OutputFile> OutputFile::create(const fs::path& target, Readers readers) {
    fs::path partial = partial_path(target);
    const int fd = ::open(partial.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC,
                          readers == Readers::Owner ? 0600 : 0666);
    std::FILE* file = fd >= 0 ? ::fdopen(fd, "wb") : nullptr;
    if (file == nullptr) {
        const int why = errno;
        if (fd >= 0) ::close(fd);
        return write_error(target, why);
    }
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

Status never_over(const fs::path& file, std::span<const fs::path> inputs) {
    if (std::ranges::none_of(inputs, [&](const fs::path& input) { return same_file(file, input); }))
        return {};
    return make_error(ErrorKind::BadInput,
                      "\"{}\" is what this is made from, which is never written to. Choose another name.",
                      file.string());
}

Status may_write(const fs::path& file, bool overwrite, std::span<const fs::path> inputs) {
    if (auto status = never_over(file, inputs); !status) return status;
    std::error_code error;
    if (overwrite || !fs::exists(file, error)) return {};
    return make_error(ErrorKind::Io, "\"{}\" is there already. Choose another name, or allow replacing.",
                      file.string());
}

Status write_text_file(const fs::path& target, std::string_view text) {
    auto file = OutputFile::create(target);
    if (!file) return file.error();
    if (auto status = file->write(std::as_bytes(std::span(text.data(), text.size()))); !status) return status;
    return file->commit();
}

Status set_aside(const fs::path& file) {
    std::error_code missing;
    if (!fs::exists(file, missing)) return {};
    constexpr int kMost = 10000;
    for (int n = 1; n < kMost; ++n) {
        const fs::path aside =
            file.parent_path() / fmt::format("{}, earlier{}{}", file.stem().string(),
                                             n > 1 ? fmt::format(" {}", n) : "", file.extension().string());
        std::error_code error;
        if (fs::exists(aside, error)) continue;
        fs::rename(file, aside, error);
        return error ? Status(write_error(aside, error.value())) : Status();
    }
    return make_error(ErrorKind::Io,
                      "\"{}\" holds too many earlier files. Remove some, or choose another folder.",
                      file.parent_path().string());
}

Status write_beside_earlier(const fs::path& target, std::string_view text) {
    std::error_code error;
    const bool there = fs::exists(target, error);
    if (there) {
        const auto before = read_text_file(target);
        if (before && *before == text) return {};
    }
    // Nothing is moved before the new one is written.
    auto file = OutputFile::create(target);
    if (!file) return file.error();
    if (auto status = file->write(std::as_bytes(std::span(text.data(), text.size()))); !status) return status;
    if (auto aside = set_aside(target); !aside) return aside;
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
