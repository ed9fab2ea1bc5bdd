#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/print.hpp"

#include <dendraxis/page/server.hpp>

#include <fmt/core.h>

#include <csignal>
#include <cstdio>

namespace dendraxis::tool {
namespace {

struct ServeArguments {
    fs::path source;
    fs::path target;
    fs::path pairing;
    int port = 8765;
    bool json = false;
};

page::Server* g_server = nullptr;  // the one that a signal stops

void stop_server(int) {
    if (g_server != nullptr) g_server->stop();
}

int run_serve(const ServeArguments& arguments) {
    page::LiveReview review(arguments.source, arguments.target, arguments.pairing);
    page::Server server(review, arguments.port);
    if (arguments.json) {
        print_json({{"address", server.address()}});
    } else {
        fmt::print("open {} in a browser; Ctrl+C ends it\n", server.address());
        if (arguments.pairing.empty())
            fmt::print("{}\n", dim("with --pairing FILE the page can keep what is changed there"));
    }
    std::fflush(stdout);
    g_server = &server;
    std::signal(SIGINT, stop_server);
    std::signal(SIGTERM, stop_server);
    server.run();
    g_server = nullptr;
    return k_done;
}

void add_serve(CommandLine& line) {
    auto arguments = std::make_shared<ServeArguments>();
    CLI::App* c = line.add(
        "serve", "Show the review page live: it follows the files, and settings can be tried on it and kept",
        "serve --source hero.glb --target villain.glb --pairing hero-to-villain.pair.json", arguments,
        run_serve);
    add_file(c, "--source", arguments->source, "the character whose clips are carried over, or its sheet");
    add_file(c, "--target", arguments->target, "the character that gets them, or its sheet");
    c->add_option("--pairing", arguments->pairing,
                  "the pairing; `keep` on the page writes it. It need not exist yet. Default: automatic, "
                  "nothing is kept")
        ->option_text("FILE");
    c->add_option("--port", arguments->port, "the port on this machine; 0: any that is free")
        ->check(CLI::Range(0, 65535))
        ->capture_default_str();
}

const Registration k_serve(75, add_serve);

}  // namespace
}  // namespace dendraxis::tool
