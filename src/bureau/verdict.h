#pragma once
#include "bureau/slices.h"

namespace lumsk::bureau {

/// What the bureau prints with. Names of materials are those of the chemists.
struct Material {
  std::string key, label;
  double gramsPerMm3 = 0.0, eurPerGram = 0.0;
};
const std::vector<Material>& materials();
const std::vector<double>& layerHeights(); ///< mm
Vec3 room();                               ///< mm, of its largest machine
constexpr double kLeastWallMm = 0.8;
constexpr std::size_t kMostBytes = std::size_t(64) << 20;
constexpr std::size_t kMostTriangles = 3'000'000;
constexpr int kMostCopies = 500;

struct Wish {
  std::string material;
  double layerMm = 0.2;
  int copies = 1;
};

/// Why something is not printed.
struct Reason {
  std::string what;
  int part = 0;                ///< its number in the file, from 1; 0: it is about all
  std::optional<Vec3> at = {}; ///< in the file's millimetres
};

/// What can be said before anything is sliced: whether it is closed, fits into the room, and can be wished for.
std::vector<Reason> firstReasons(const std::vector<Part>& parts, const Wish& wish);
/// What the layers show: walls that are too thin.
std::vector<Reason> layerReasons(const std::vector<Layer>& layers);

/// One copy's figures, and the price of all.
struct Price {
  double grams = 0.0, supportGrams = 0.0, hours = 0.0, eur = 0.0, volumeMm3 = 0.0, hangingMm2 = 0.0;
};
Price priced(const std::vector<Layer>& layers, const Wish& wish);

} // namespace lumsk::bureau
