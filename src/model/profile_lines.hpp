#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Where a profile stands on what its end is welded to, in the section's own plane: of hollow and of stout profiles their outline, with fillets
/// set aside; of open thin-walled ones the middle lines of their walls, carried on to where they meet.
[[nodiscard]] std::vector<Curve> profile_lines(const Section& section);

}  // namespace halvo
