#pragma once
/// Shares and angles by which halving decides.

namespace halvo {

inline constexpr double least_crossing = 0.05;   ///< sine of the flattest angle at which two midsurfaces are taken to cross
inline constexpr double supported_share = 0.25;  ///< a cell with this share between opposed faces is part of the sheet
inline constexpr double bend_share = 0.15;       ///< the same of a bend, whose inner round may be small against its midsurface
inline constexpr double most_of_void = 0.75;     ///< of a wall's thickness: voids inside it, as bores along it, that its sheet runs through
inline constexpr double filled_share = 0.75;     ///< material filling less of a wall's thickness than this is not the wall's
inline constexpr double empty_share = 0.02;      ///< a cell with no more than this share in material is a void
inline constexpr double bridging_share = 0.5;    ///< a cell with this share leading to a seam is kept as a bridge
inline constexpr double largest_piece = 8;       ///< thicknesses squared: what is no larger may be a piece beside a seam
inline constexpr double stray_size = 0.5;        ///< a loose piece smaller than this many thicknesses squared is a stray
inline constexpr double stray_width = 0.2;       ///< and one narrower than this many thicknesses

}  // namespace halvo
