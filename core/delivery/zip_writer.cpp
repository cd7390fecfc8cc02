// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/zip_writer.h"

#include <archive.h>
#include <archive_entry.h>

#include <cerrno>
#include <fstream>
#include <span>
#include <vector>

#include "core/base/output_file.h"

namespace rivlen {

void ZipWriter::Closer::operator()(archive* writer) const {
    archive_write_free(writer);
}

Result<ZipWriter> ZipWriter::create(int fd, const std::filesystem::path& target) {
    std::unique_ptr<archive, Closer> writer(archive_write_new());
    if (!writer || archive_write_set_format_zip(writer.get()) != ARCHIVE_OK ||
        archive_write_open_fd(writer.get(), fd) != ARCHIVE_OK)
        return write_error(target, EIO);
    return ZipWriter(std::move(writer), target);
}

Status ZipWriter::failed() {
    const int error = archive_errno(writer_.get());
    return write_error(target_, error > 0 ? error : EIO);
}

Status ZipWriter::begin(const std::string& name, std::uint64_t size, bool compressed) {
    struct EntryFree {
        void operator()(archive_entry* entry) const { archive_entry_free(entry); }
    };
    const std::unique_ptr<archive_entry, EntryFree> entry(archive_entry_new());
    archive_entry_set_pathname_utf8(entry.get(), name.c_str());
    archive_entry_set_size(entry.get(), static_cast<la_int64_t>(size));
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    constexpr unsigned kMode = 0644;
    archive_entry_set_perm(entry.get(), kMode);
    const int chosen = compressed ? archive_write_zip_set_compression_deflate(writer_.get())
                                  : archive_write_zip_set_compression_store(writer_.get());
    if (chosen != ARCHIVE_OK || archive_write_header(writer_.get(), entry.get()) != ARCHIVE_OK)
        return failed();
    return {};
}

Status ZipWriter::add_text(const std::string& name, std::string_view text) {
    if (auto status = begin(name, text.size(), true); !status) return status;
    if (archive_write_data(writer_.get(), text.data(), text.size()) != static_cast<la_ssize_t>(text.size()))
        return failed();
    return {};
}

Status ZipWriter::add_file(const std::string& name, const std::filesystem::path& file) {
    std::error_code error;
    const auto size = std::filesystem::file_size(file, error);
    std::ifstream in(file, std::ios::binary);
    if (error || !in) return make_error(ErrorKind::Io, "\"{}\" cannot be read back.", file.string());
    if (auto status = begin(name, size, false); !status) return status;
    std::vector<char> block(1 << 20);
    while (in) {
        in.read(block.data(), static_cast<std::streamsize>(block.size()));
        const auto count = static_cast<std::size_t>(in.gcount());
        if (archive_write_data(writer_.get(), block.data(), count) != static_cast<la_ssize_t>(count))
            return failed();
    }
    return {};
}

Status ZipWriter::finish() {
    return archive_write_close(writer_.get()) == ARCHIVE_OK ? Status() : failed();
}

}  // namespace rivlen
