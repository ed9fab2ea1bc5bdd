#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

#include <cerrno>
#include <chrono>
#include <cstring>
#include <fstream>
#include <optional>
#include <random>
#include <utility>

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view k_unfinished = ".unfinished-";
constexpr std::chrono::seconds k_just_made{1};

std::optional<std::pair<std::uint64_t, std::uint64_t>> identity_of(const fs::path& file) {
    struct stat found {};
    if (file.empty() || stat(file.c_str(), &found) != 0) return std::nullopt;
    return std::pair<std::uint64_t, std::uint64_t>(found.st_dev, found.st_ino);
}

[[noreturn]] void cannot_write(const fs::path& path, const std::string& reason) {
    throw Error(ErrorCode::cannot_write, path.string(), "cannot be written: " + reason, "",
                "choose a place that exists and that you may write to");
}

// The file that a chain of links ends in, so that the links stay; it need not exist.
fs::path behind_links(const fs::path& path) {
    constexpr int k_most_links = 40;
    fs::path file = path;
    for (int i = 0; i < k_most_links && fs::is_symlink(fs::symlink_status(file)); ++i) {
        const fs::path next = fs::read_symlink(file);
        file = next.is_absolute() ? next : file.parent_path() / next;
    }
    if (fs::is_symlink(fs::symlink_status(file))) cannot_write(path, "its links run in a circle");
    return file;
}

// One file on its way: written under a name that nobody else has, gone again unless it is put in its place.
class Unfinished {
 public:
    explicit Unfinished(const OutputFile& file) : position_(behind_links(file.path)) {
        make_folder();
        const fs::file_status there = fs::status(position_);
        if (fs::is_directory(there)) cannot_write(file.path, "it is a folder");
        if (fs::exists(there) && !fs::is_regular_file(there))
            cannot_write(file.path, "it is no ordinary file");
        const int handle = open_anew();
        if (handle < 0) cannot_write(file.path, std::strerror(errno));
        // A file that is replaced hands on its mode.
        const auto mode = static_cast<mode_t>(there.permissions()) & 07777;
        handle_ = handle;
        const bool written = write_all(handle, file.bytes) &&
                             (!fs::exists(there) || ::fchmod(handle, mode) == 0) && ::fsync(handle) == 0;
        if (written) return;
        const int problem = errno;
        remove();
        cannot_write(file.path, std::strerror(problem));
    }
    Unfinished(Unfinished&& other) noexcept
        : position_(std::move(other.position_)),
          temporary_(std::exchange(other.temporary_, fs::path())),
          handle_(std::exchange(other.handle_, -1)) {}
    Unfinished& operator=(Unfinished&&) = delete;
    ~Unfinished() { remove(); }

    void put_in_place() {
        std::error_code problem;
        fs::rename(temporary_, position_, problem);
        if (problem) cannot_write(position_, problem.message());
        temporary_.clear();
        remove();
    }

 private:
    void make_folder() const {
        const fs::path folder = position_.parent_path();
        std::error_code problem;
        if (!folder.empty()) fs::create_directories(folder, problem);
        if (problem) cannot_write(position_, problem.message());
    }

    static bool write_all(int handle, std::span<const std::uint8_t> bytes) {
        while (!bytes.empty()) {
            const ssize_t count = ::write(handle, bytes.data(), bytes.size());
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return false;
            bytes = bytes.subspan(static_cast<std::size_t>(count));
        }
        return true;
    }

    // A file that was not there before, whoever else writes beside it; -1 where that cannot be.
    int open_anew() {
        std::random_device random;
        int handle = -1;
        do {
            const std::string name =
                fmt::format("{}{}{:08x}{:08x}", position_.string(), k_unfinished, random(), random());
            handle = ::open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0666);
            if (handle >= 0) temporary_ = name;
        } while (handle < 0 && errno == EEXIST);
        // Until it is in its place: nobody takes it for one that a killed run has left.
        if (handle >= 0) (void)::flock(handle, LOCK_EX | LOCK_NB);
        return handle;
    }

    void remove() noexcept {
        std::error_code ignored;
        if (!temporary_.empty()) fs::remove(temporary_, ignored);
        temporary_.clear();
        if (handle_ >= 0) ::close(handle_);
        handle_ = -1;
    }

    fs::path position_;
    fs::path temporary_;
    int handle_ = -1;
};

bool is_unfinished_name(const std::string& name) {
    const std::size_t mark = name.rfind(k_unfinished);
    if (mark == std::string::npos || mark == 0) return false;
    const std::string digits = name.substr(mark + k_unfinished.size());
    return digits.size() == 16 && digits.find_first_not_of("0123456789abcdef") == std::string::npos;
}

// Whether nobody writes it any more.
bool is_left(const fs::path& file) {
    std::error_code problem;
    const auto age = fs::file_time_type::clock::now() - fs::last_write_time(file, problem);
    if (problem || age < k_just_made) return false;  // its writer may be about to lock it
    const int handle = ::open(file.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    if (handle < 0) return false;
    const bool left = ::flock(handle, LOCK_EX | LOCK_NB) == 0;
    ::close(handle);
    return left;
}

}  // namespace

void remove_unfinished(const fs::path& folder) noexcept {
    std::error_code problem;
    fs::directory_iterator entries(folder.empty() ? fs::path(".") : folder, problem);
    for (; !problem && entries != fs::directory_iterator(); entries.increment(problem)) {
        if (!is_unfinished_name(entries->path().filename().string())) continue;
        std::error_code ignored;
        if (entries->is_regular_file(ignored) && is_left(entries->path()))
            fs::remove(entries->path(), ignored);
    }
}

void write_files(std::span<const OutputFile> files, bool tidy) {
    std::set<fs::path> folders;
    for (const OutputFile& file : files) {
        if (tidy) folders.insert(file.path.parent_path());
    }
    for (const fs::path& folder : folders) remove_unfinished(folder);
    std::vector<Unfinished> written;
    written.reserve(files.size());
    for (const OutputFile& file : files) written.emplace_back(file);
    for (Unfinished& file : written) file.put_in_place();
}

ReadFiles::ReadFiles(std::span<const fs::path> files) {
    for (const fs::path& file : files) {
        if (const auto identity = identity_of(file)) known_.insert(*identity);
    }
}

void ReadFiles::refuse_to_replace(const fs::path& out) const {
    const auto identity = identity_of(out);
    if (identity && known_.contains(*identity))
        throw Error(ErrorCode::cannot_write, out.string(), "would be written over while it is read", "",
                    "choose another name for the output");
}

void write_text(const fs::path& path, std::string_view text) {
    const OutputFile file{path, {text.begin(), text.end()}};
    write_files({&file, 1});
}

std::vector<std::uint8_t> read_bytes(const fs::path& path) {
    if (fs::is_directory(path)) {
        throw Error(ErrorCode::cannot_read, path.string(), "is a folder", "", "name a file");
    }
    std::ifstream in(path, std::ios::binary);
    if (!in) {
        throw Error(ErrorCode::cannot_read, path.string(),
                    std::string("cannot be read: ") + std::strerror(errno), "", "check the path");
    }
    // As one block where the length is known, piece by piece where it is not (a pipe).
    std::vector<std::uint8_t> bytes;
    std::error_code unknown;
    const auto size = fs::is_regular_file(path, unknown) ? fs::file_size(path, unknown) : 0;
    bytes.resize(unknown ? 0 : static_cast<std::size_t>(size));
    in.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    bytes.resize(static_cast<std::size_t>(in.gcount()));
    if (in) bytes.insert(bytes.end(), std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>());
    return bytes;
}

std::string nearest_file(const fs::path& path) {
    std::error_code ignored;
    std::vector<std::string> names;
    for (const fs::directory_entry& entry :
         fs::directory_iterator(path.parent_path().empty() ? "." : path.parent_path(), ignored))
        names.push_back(entry.path().filename().string());
    return nearest_name(path.filename().string(), names);
}

std::string read_text(const fs::path& path) {
    const std::vector<std::uint8_t> bytes = read_bytes(path);
    return {bytes.begin(), bytes.end()};
}

}  // namespace dendraxis::io
