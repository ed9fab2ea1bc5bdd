// A review that follows its files: what the server shows.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis::page {

/// A source's clips on a target, worked out anew if a character, a sheet or the pairing changes. All calls
/// may come from several threads.
class LiveReview {
 public:
    /// Characters or sheets; `pairing` may be empty, or a file that does not exist yet. Throws `Error`.
    LiveReview(std::filesystem::path source, std::filesystem::path target, std::filesystem::path pairing);
    ~LiveReview();
    LiveReview(const LiveReview&) = delete;
    LiveReview& operator=(const LiveReview&) = delete;

    /// What a page has to know to stay up to date.
    struct State {
        int cast = 0;         ///< counts changes of the characters: the page must be opened again
        int pairing = 0;      ///< counts changes of the pairing: the page needs `data` again
        std::string problem;  ///< why the files' present state cannot be shown; empty if it is
    };

    /// Looks at the files, and works out what changed. What was good before stays if a file is not.
    State refresh();

    /// The page as HTML.
    std::string html() const;

    /// The page's document and numbers: the length of the document as four bytes, least first, the document,
    /// filled up with spaces to a multiple of four, the numbers.
    std::vector<std::uint8_t> data() const;

    /// The same for one clip by the pairing in this text, of which nothing is kept. Throws `Error`.
    std::vector<std::uint8_t> attempt(std::string_view clip, const std::string& pairing) const;

    /// Writes this text as the pairing file, in the file's usual layout. Throws `Error` if it is no pairing
    /// of these characters, or if there is no file to keep it in.
    void keep(const std::string& pairing);

    /// Sets a chain of source or target in its sheet: these bones, by label, from the root side to the tip.
    /// All else of the sheet stays. Throws `Error` if that character was not given by a sheet, or if such a
    /// chain cannot be.
    void keep_chain(bool of_target, const std::string& name, const std::vector<std::string>& bones);

 private:
    struct Parts;
    std::unique_ptr<Parts> parts_;
};

}  // namespace dendraxis::page
