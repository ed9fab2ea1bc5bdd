// Writing: all or nothing, on nobody else's file, safe beside others.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <chrono>
#include <fstream>
#include <thread>

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

using namespace dendraxis;
namespace fs = std::filesystem;

namespace {

std::size_t files_in(const fs::path& folder) {
    return static_cast<std::size_t>(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

fs::perms mode_of(const fs::path& file) {
    return fs::status(file).permissions() & fs::perms::all;
}

}  // namespace

TEST_CASE("a file that is replaced keeps its mode, and a link its file") {
    const workshop::Scratch scratch;
    const fs::path file = scratch / "real.txt";
    io::write_text(file, "old");
    CHECK((mode_of(file) & fs::perms::owner_read) != fs::perms::none);
    fs::permissions(file, fs::perms::owner_read | fs::perms::owner_write | fs::perms::owner_exec);
    fs::create_directory(scratch / "links");
    fs::create_symlink(file, scratch / "links/absolute.txt");
    fs::create_symlink("absolute.txt", scratch / "links/relative.txt");
    io::write_text(scratch / "links/relative.txt", "new");
    CHECK(io::read_text(file) == "new");
    CHECK(fs::is_symlink(scratch / "links/relative.txt"));
    CHECK(mode_of(file) == fs::perms::owner_all);
    fs::create_symlink("b", scratch / "links/a");
    fs::create_symlink("a", scratch / "links/b");
    CHECK_THROWS_AS(io::write_text(scratch / "links/a", "x"), Error);
    CHECK(files_in(scratch / "links") == 4);
}

TEST_CASE("devices and folders are refused, and nothing is left behind") {
    const workshop::Scratch scratch;
    CHECK_THROWS_WITH_AS(io::write_text("/dev/null", "x"), doctest::Contains("no ordinary file"), Error);
    const io::OutputFile good{scratch / "good.txt", {'a'}};
    fs::create_directory(scratch / "folder");
    const io::OutputFile bad{scratch / "folder", {'b'}};
    const std::vector<io::OutputFile> both{good, bad};
    CHECK_THROWS_WITH_AS(io::write_files(both), doctest::Contains("it is a folder"), Error);
    CHECK_FALSE(fs::exists(scratch / "good.txt"));
    CHECK(files_in(scratch / "folder/..") == 1);
    fs::create_symlink("/dev/full", scratch / "full");
    CHECK_THROWS_AS(io::write_text(scratch / "full", "x"), Error);
}

TEST_CASE("many writers of one file leave one whole file, whatever was planted beside it") {
    const workshop::Scratch scratch;
    const fs::path file = scratch / "shared.bin";
    io::write_text(scratch / "victim.txt", "mine");
    fs::create_symlink("victim.txt", scratch / "shared.bin.unfinished");
    std::vector<std::thread> writers;
    for (const char letter : {'a', 'b', 'c', 'd'})
        writers.emplace_back([&file, letter] {
            for (int i = 0; i < 20; ++i) io::write_text(file, std::string(5000, letter));
        });
    for (std::thread& writer : writers) writer.join();
    const std::string text = io::read_text(file);
    CHECK(text == std::string(5000, text.front()));
    CHECK(io::read_text(scratch / "victim.txt") == "mine");
    CHECK(files_in(file.parent_path()) == 3);
}

TEST_CASE("what a killed run has left is removed by the next one, and nothing else is") {
    const workshop::Scratch scratch;
    const fs::path left = scratch / "a.glb.unfinished-0123456789abcdef";
    const fs::path written = scratch / "b.glb.unfinished-0123456789abcdef";
    const fs::path fresh = scratch / "c.glb.unfinished-0123456789abcdef";
    const fs::path other = scratch / "notes.unfinished-tomorrow";
    for (const fs::path& file : {left, written, fresh, other}) std::ofstream(file) << "half";
    for (const fs::path& file : {left, written, other})
        fs::last_write_time(file, fs::file_time_type::clock::now() - std::chrono::seconds(5));
    // Somebody still writes it.
    const int handle = ::open(written.c_str(), O_RDONLY);
    REQUIRE(::flock(handle, LOCK_EX | LOCK_NB) == 0);
    io::write_text(scratch / "d.txt", "whole");
    CHECK_FALSE(fs::exists(left));
    for (const fs::path& file : {written, fresh, other}) CHECK(fs::exists(file));
    ::close(handle);
    io::remove_unfinished(scratch.path());
    CHECK_FALSE(fs::exists(written));
    CHECK(fs::exists(other));
    io::remove_unfinished(scratch / "no such folder");
}

TEST_CASE("what is read is not written over, by whatever name") {
    const workshop::Scratch scratch;
    io::write_text(scratch / "in.txt", "x");
    fs::create_hard_link(scratch / "in.txt", scratch / "twin.txt");
    fs::create_symlink("in.txt", scratch / "link.txt");
    const std::vector<fs::path> inputs{"", scratch / "in.txt"};
    for (const char* name : {"in.txt", "twin.txt", "link.txt"})
        CHECK_THROWS_AS(io::ReadFiles(inputs).refuse_to_replace(scratch / name), Error);
    CHECK_NOTHROW(io::ReadFiles(inputs).refuse_to_replace(scratch / "out.txt"));
}
