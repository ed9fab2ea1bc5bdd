#include <dendraxis/page/server.hpp>

#include <io/json/json_text.hpp>

#include <dendraxis/base/error.hpp>

#include <httplib.h>

#include <fmt/format.h>

namespace dendraxis::page {
namespace {

constexpr const char* k_here = "127.0.0.1";
constexpr std::size_t k_most_bytes = 1 << 20;

void fail(httplib::Response& response, int status, const std::string& problem) {
    response.status = status;
    response.set_content(io::Json{{"problem", problem}}.dump(), "application/json");
}

// As it is: the library would compress text for every browser that takes it, which lasts seconds for a page
// and saves nothing on one machine.
void send(httplib::Response& response, std::string text, const char* type) {
    const auto kept = std::make_shared<const std::string>(std::move(text));
    response.set_content_provider(kept->size(), type,
                                  [kept](std::size_t at, std::size_t size, httplib::DataSink& sink) {
                                      return sink.write(kept->data() + at, size);
                                  });
}

void send(httplib::Response& response, const std::vector<std::uint8_t>& bytes) {
    send(response, std::string(bytes.begin(), bytes.end()), "application/octet-stream");
}

// The labels of a list of bones.
std::vector<std::string> bones_of(const std::string& body) {
    std::vector<std::string> labels;
    const io::Json json = io::Json::parse(body, nullptr, false);
    for (const io::Json& one : json.is_array() ? json : io::Json::array()) {
        if (one.is_string()) labels.push_back(one.get<std::string>());
    }
    if (labels.empty() || labels.size() != json.size())
        throw Error("the chain", "is not a list of bones", "", "send their labels: [\"thigh\", \"shin\"]");
    return labels;
}

// Runs an answer; what is wrong with the request becomes its answer.
template <class Answer>
void answer(httplib::Response& response, const Answer& give) {
    try {
        give();
    } catch (const std::exception& problem) {
        fail(response, 422, problem.what());
    }
}

}  // namespace

struct Server::Parts {
    LiveReview& review;
    httplib::Server server;
    int port = 0;

    // Another page in the same browser can reach this port under any name that leads here; only what was
    // asked for by our own address, from our own page, is answered.
    bool is_ours(const httplib::Request& request) const {
        const std::string host = request.get_header_value("Host");
        const std::string here = fmt::format("{}:{}", k_here, port);
        const std::string local = fmt::format("localhost:{}", port);
        if (host != here && host != local) return false;
        const std::string origin = request.get_header_value("Origin");
        return origin.empty() || origin == "http://" + host;
    }

    void add_answers() {
        server.set_payload_max_length(k_most_bytes);
        server.set_default_headers({{"Cache-Control", "no-store"}, {"X-Content-Type-Options", "nosniff"}});
        server.set_pre_routing_handler([this](const httplib::Request& request, httplib::Response& response) {
            if (is_ours(request)) return httplib::Server::HandlerResponse::Unhandled;
            fail(response, 403, "only this machine's own page is answered");
            return httplib::Server::HandlerResponse::Handled;
        });
        server.Get("/", [this](const httplib::Request&, httplib::Response& response) {
            answer(response, [&] {
                review.refresh();
                send(response, review.html(), "text/html; charset=utf-8");
            });
        });
        server.Get("/state", [this](const httplib::Request&, httplib::Response& response) {
            answer(response, [&] {
                const LiveReview::State state = review.refresh();
                const io::Json json{
                    {"cast", state.cast}, {"pairing", state.pairing}, {"problem", state.problem}};
                response.set_content(json.dump(), "application/json");
            });
        });
        server.Get("/data", [this](const httplib::Request&, httplib::Response& response) {
            answer(response, [&] { send(response, review.data()); });
        });
        server.Post("/attempt", [this](const httplib::Request& request, httplib::Response& response) {
            answer(response,
                   [&] { send(response, review.attempt(request.get_param_value("clip"), request.body)); });
        });
        server.Post("/chain", [this](const httplib::Request& request, httplib::Response& response) {
            answer(response, [&] {
                review.keep_chain(request.get_param_value("of") == "target", request.get_param_value("name"),
                                  bones_of(request.body));
                response.set_content("{}", "application/json");
            });
        });
        server.Post("/keep", [this](const httplib::Request& request, httplib::Response& response) {
            answer(response, [&] {
                review.keep(request.body);
                response.set_content("{}", "application/json");
            });
        });
    }
};

Server::Server(LiveReview& review, int port) : parts_(new Parts{review, {}, port}) {
    // A port that another program answers on is taken: it must not be shared.
    parts_->server.set_socket_options([](socket_t socket) {
        const int yes = 1;
        setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof(yes));
    });
    if (port == 0) {
        parts_->port = parts_->server.bind_to_any_port(k_here);
    } else if (!parts_->server.bind_to_port(k_here, port)) {
        parts_->port = -1;
    }
    if (parts_->port < 0)
        throw Error(fmt::format("port {}", port), "is taken or may not be used", "",
                    "give another --port, or 0 for any");
    parts_->add_answers();
}

Server::~Server() = default;

std::string Server::address() const {
    return fmt::format("http://{}:{}/", k_here, parts_->port);
}

void Server::run() {
    parts_->server.listen_after_bind();
}

void Server::stop() {
    parts_->server.stop();
}

}  // namespace dendraxis::page
