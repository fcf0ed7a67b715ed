#pragma once
#include "brep/split/division.h"
#include "steps/common.h"

namespace lumsk::steps {

// What the steps that cut bodies share: what is cut, what cuts, and the pieces.

/// The fields "body", "by", "mutual", "curves", "direction", "extend" and "reach".
/// `drawn`: what can be drawn in place to cut with.
void addCutters(recipe::Schema& s, const std::string& bodyHelp, std::vector<recipe::DrawnHere> drawn);

struct Cut {
  std::vector<brep::BodyPtr> targets;
  std::vector<brep::Divider> dividers;
  std::unique_ptr<brep::Division> division;
};
/// The picked bodies divided by what was picked to cut them. Fails with LM-C005 where bodies are to cut each other and there is but one, and as
/// `Division::of` does. With a gap each cutter becomes two, half of it before and behind it, named "ID<" and "ID>"; fails with
/// LM-C015 where a cutter has no two sides to be moved to.
Expected<Cut> cutOf(const recipe::Inputs& in, const Context& cx, double gapMm = 0);
/// Pieces that lie between the two halves of a cutter.
std::vector<char> withoutGaps(const std::vector<brep::Piece>& pieces);

/// The direction along which a curve is carried onto bodies by itself: none where it lies on one of them, else square to its
/// plane. Fails with LM-C006 where it has no plane of its own.
Expected<std::optional<Vec3>> carriedAlong(const nurbs::Path& path, const std::vector<brep::BodyPtr>& targets, const Context& cx);

/// What a piece is known by: its faces and the sides of the dividers that it lies on, each with the step that it is of:
/// another one in its place may have its sides the other way round.
std::string wordsOf(const brep::Piece& p, const recipe::Inputs& in);
/// A piece is found again by what it is known by, then by the sides it lies on, then by its place alone, the nearest of several.
struct FoundPieces {
  std::vector<char> chosen;          ///< by piece
  std::vector<std::string> row;      ///< by piece; empty: none
  /// Rows that were found by their place only, or where another one that is as like lies less than twice as far away; and rows of
  /// which there is no piece any more. With their places.
  std::vector<std::pair<std::string, Vec3>> doubtful, lost;
};
FoundPieces chosenPieces(const recipe::Inputs& in, const std::string& table, const brep::Division& division);
/// The table of clicked pieces.
recipe::Field piecesField(const std::string& key);

/// Bodies that were made of the picked ones, the largest of each going on as it; the picked ones are used up.
void putPieces(recipe::Outcome& out, const recipe::Inputs& in, std::vector<brep::Divided> bodies);
/// How far edges and cutters were carried on, by the picks that they come from.
void noteCarriedOn(recipe::Outcome& out, const std::vector<brep::CarriedOn>& carried, const std::string& what = "a cutter");
/// What a division has to say, and how far cutters were carried on.
void addNotes(recipe::Outcome& out, const brep::Division& division);

} // namespace lumsk::steps
