#include "body/named.hpp"

#include "core/wildcard.hpp"

#include <algorithm>

namespace halvo {

bool is_named(const Body& body, const std::vector<std::string>& patterns) {
    return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& p) {
               return p == std::to_string(body.number) || p == body.key || wildcard_match(p, body.name) || wildcard_match(p, body.path);
           });
}

}  // namespace halvo
