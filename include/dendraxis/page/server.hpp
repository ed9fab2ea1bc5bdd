// The page from a local server.
#pragma once

#include <dendraxis/page/live_review.hpp>

#include <memory>
#include <string>

namespace dendraxis::page {

/// Serves a live review on this machine alone. It answers `GET /`, `/state` and `/data`, `POST /attempt`,
/// `/keep` and `/chain`; it reads no other path. What comes from another page (by `Host` and `Origin`, RFC
/// 9110 and RFC 6454) is refused with status 403, a body over a megabyte with 413.
class Server {
 public:
    /// Takes a port; 0: any that is free. Throws `Error` if it is taken.
    Server(LiveReview& review, int port);
    ~Server();
    Server(const Server&) = delete;
    Server& operator=(const Server&) = delete;

    /// `http://127.0.0.1:PORT/`
    std::string address() const;

    /// Answers until `stop` is called, from any thread.
    void run();
    void stop();

 private:
    struct Parts;
    std::unique_ptr<Parts> parts_;
};

}  // namespace dendraxis::page
