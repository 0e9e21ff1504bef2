#pragma once

namespace halvo::io {

inline constexpr int application_id = 0x484C564F;  // "HLVO"
// 1: sheets were planes; 2: all sheets at the middle, members without offsets, no couplings; 3: members straight, no ties; 4: no material
// left out at roots; 5: no sets and places, no bends over sharp inner edges, gaps without keys; 6: no voids
// filled in walls; 7: solids as facets alone, little of the survey, findings of all stages in one list; 8: nothing was stripped; 9: nothing was mended;
// 10: nothing was solved, sets held no vertices, sections no shear; 11: nothing was told of what goes through connections; 12: no closed forms
// beside probes, no solid reference
inline constexpr int schema_version = 13;

}  // namespace halvo::io
