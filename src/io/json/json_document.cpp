// Schemas: JSON Schema draft 7, checked by valijson. Pointers: RFC 6901.
#include "json_document.hpp"

#include "schema_texts.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validation_results.hpp>
#include <valijson/validator.hpp>

#include <algorithm>
#include <set>

namespace dendraxis::io {
namespace {

// A kind of document: the text of its schema, and what its `format` says.
struct Kind {
    const char* schema;
    const char* format;
};

Kind kind_of(Schema schema) {
    switch (schema) {
        case Schema::rig:
            return {k_rig_schema, "dendraxis-rig"};
        case Schema::pairing:
            return {k_pairing_schema, "dendraxis-pairing"};
        case Schema::prop:
            return {k_prop_schema, "dendraxis-prop"};
        case Schema::cast:
            return {k_cast_schema, "dendraxis-cast"};
        case Schema::puppet:
            return {k_puppet_schema, "dendraxis-puppet"};
    }
    return {"", ""};
}

// Walks a valid JSON text down a pointer, counting nothing but where it is.
class PointerWalk {
 public:
    explicit PointerWalk(const std::string& text) : text_(text) {}

    std::size_t find(const std::vector<std::string>& steps) {
        blank();
        for (const std::string& step : steps) {
            if (!enter(step)) break;
            blank();
        }
        return at_;
    }

 private:
    void blank() {
        while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_])) != 0) ++at_;
    }

    std::string string() {
        const std::size_t start = at_++;
        while (at_ < text_.size() && text_[at_] != '"') at_ += text_[at_] == '\\' ? 2 : 1;
        ++at_;
        return nlohmann::json::parse(text_.substr(start, at_ - start)).get<std::string>();
    }

    void skip_value() {
        blank();
        if (text_[at_] == '"') {
            string();
            return;
        }
        int depth = 0;
        while (at_ < text_.size()) {
            const char c = text_[at_];
            if (c == '"') {
                string();
                continue;
            }
            if (c == '{' || c == '[') ++depth;
            if ((c == '}' || c == ']') && depth-- == 0) return;
            if (c == ',' && depth == 0) return;
            ++at_;
            if ((c == '}' || c == ']') && depth == 0) return;
        }
    }

    // From the start of an object or list to the start of one of its members; stays where there is none.
    bool enter(const std::string& step) {
        const std::size_t start = at_;
        const bool object = text_[at_] == '{';
        if (!object && text_[at_] != '[') return false;
        ++at_;
        for (std::size_t index = 0; at_ < text_.size(); ++index) {
            blank();
            if (text_[at_] == '}' || text_[at_] == ']') break;
            bool here = !object && std::to_string(index) == step;
            const std::size_t member = at_;
            if (object) {
                here = string() == step;
                blank();
                ++at_;  // the colon
                blank();
            }
            if (here) {
                if (object) at_ = at_ < text_.size() ? at_ : member;
                return true;
            }
            skip_value();
            blank();
            if (at_ < text_.size() && text_[at_] == ',') ++at_;
        }
        at_ = start;
        return false;
    }

    const std::string& text_;
    std::size_t at_ = 0;
};

std::vector<std::string> steps_of(const std::string& pointer) {
    std::vector<std::string> steps;
    for (const char c : pointer) {
        if (c == '/') {
            steps.emplace_back();
        } else if (!steps.empty()) {
            steps.back().push_back(c);
        }
    }
    return steps;
}

// valijson tells a context as `<root>`, `[chains]`, `[3]`.
std::string pointer_of(const std::vector<std::string>& context) {
    std::string pointer;
    for (const std::string& step : context) {
        if (step.size() > 2 && step.front() == '[') pointer += "/" + step.substr(1, step.size() - 2);
    }
    return pointer;
}

void check_schema(const JsonDocument& document, Schema which) {
    const nlohmann::json rules = nlohmann::json::parse(kind_of(which).schema);
    valijson::Schema schema;
    valijson::SchemaParser parser;
    parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(rules), schema);
    const nlohmann::json plain = nlohmann::json::parse(document.text);
    valijson::Validator validator;
    valijson::ValidationResults results;
    if (validator.validate(schema, valijson::adapters::NlohmannJsonAdapter(plain), &results)) return;
    // The deepest error says most.
    valijson::ValidationResults::Error error;
    valijson::ValidationResults::Error deepest;
    while (results.popError(error)) {
        if (error.context.size() > deepest.context.size()) deepest = error;
    }
    document.fail("is not as its schema asks: " + deepest.description, pointer_of(deepest.context),
                  "see docs/formats.md");
}

}  // namespace

void JsonDocument::fail(const std::string& problem, const std::string& pointer, const std::string& advice,
                        ErrorCode code) const {
    throw Error(code, file, problem,
                fmt::format("line {}, at {}", line_of(text, pointer), pointer.empty() ? "/" : pointer),
                advice);
}

JsonDocument open_document(const std::filesystem::path& path, Schema schema) {
    return parse_document(path.string(), read_text(path), schema);
}

std::string beyond_limits(std::string_view text) {
    std::vector<std::size_t> members{0};  // of each list and object that is open
    bool in_string = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char letter = text[i];
        if (in_string && letter == '\\') {
            ++i;
        } else if (letter == '"') {
            in_string = !in_string;
        } else if (!in_string && (letter == '[' || letter == '{')) {
            members.push_back(0);
            if (members.size() > k_most_nested + 1)
                return fmt::format("its JSON is nested more than {} deep", k_most_nested);
        } else if (!in_string && (letter == ']' || letter == '}') && members.size() > 1) {
            members.pop_back();
        } else if (!in_string && letter == ':' && ++members.back() > k_most_members) {
            return fmt::format("an object of its JSON has more than {} members", k_most_members);
        }
    }
    return "";
}

JsonDocument parse_document(const std::string& name, std::string text, Schema schema) {
    JsonDocument document{name, std::move(text), {}};
    std::vector<std::set<std::string>> keys;
    std::string twice;
    const auto watch = [&](int, Json::parse_event_t event, Json& value) {
        if (event == Json::parse_event_t::object_start) keys.emplace_back();
        if (event == Json::parse_event_t::key && !keys.back().insert(value.get<std::string>()).second) {
            twice = value.get<std::string>();
        }
        if (event == Json::parse_event_t::object_end) keys.pop_back();
        return true;
    };
    if (const std::string problem = beyond_limits(document.text); !problem.empty())
        throw Error(ErrorCode::too_large, name, problem, "", "name a file that this program wrote");
    try {
        document.json = Json::parse(document.text, watch);
    } catch (const Json::parse_error& problem) {
        const std::size_t end = std::min(document.text.size(), problem.byte);
        const auto line = 1 + std::count(document.text.begin(),
                                         document.text.begin() + static_cast<std::ptrdiff_t>(end), '\n');
        throw Error(name, "is not valid JSON", fmt::format("line {}", line),
                    "check for a missing comma or quote there");
    } catch (const Json::out_of_range&) {
        throw Error(ErrorCode::too_large, name, "holds a number that is too large", "",
                    "no number in it may be beyond 1e308");
    }
    // JSON readers keep one of the two; which one was meant only its writer knows.
    if (!twice.empty())
        document.fail("the key '" + twice + "' stands twice in one object", "", "leave one of them");
    const std::string format = kind_of(schema).format;
    if (!document.json.is_object() || document.json.value("format", Json()) != format) {
        document.fail(fmt::format("'format' is not '{}'", format),
                      document.json.is_object() && document.json.contains("format") ? "/format" : "",
                      "is this the file you meant?");
    }
    if (document.json.value("version", Json()) != 1) {
        document.fail("'version' is not 1, the only one that this program reads",
                      document.json.contains("version") ? "/version" : "",
                      "a later program wrote it: use that one");
    }
    check_schema(document, schema);
    return document;
}

std::vector<std::string> unknown_keys(const JsonDocument& document, Schema schema) {
    const nlohmann::json known = nlohmann::json::parse(kind_of(schema).schema)["properties"];
    std::vector<std::string> unknown;
    for (const auto& [key, value] : document.json.items()) {
        if (!known.contains(key)) unknown.push_back(key);
    }
    return unknown;
}

int line_of(const std::string& text, const std::string& pointer) {
    const std::size_t place = std::min(PointerWalk(text).find(steps_of(pointer)), text.size());
    return 1 + static_cast<int>(
                   std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(place), '\n'));
}

}  // namespace dendraxis::io
