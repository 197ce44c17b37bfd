// Columns and rows of a chart laid over a picture, and the light of its patches. Inside the room only: it
// shows OpenCV's types.
#pragma once
#include <map>
#include <opencv2/core.hpp>
#include <utility>

#include "image/luma_picture.h"
#include "image/region.h"

namespace edge {

using LatticeCell = std::pair<int, int>;  // column, row

class LatticeField {
 public:
  struct Level {
    double mean = 0, error = 0;
    double uneven = 0;    // between its quarters, over what noise makes of them
    bool inside = false;  // the picture
  };

  // `toPicture`: from columns and rows. Width and height of a patch: in steps.
  LatticeField(const LumaPicture& picture, const cv::Matx33d& toPicture, double width, double height)
      : picture_(&picture), h_(toPicture), width_(width), height_(height) {}
  // Counted from other columns and rows.
  [[nodiscard]] LatticeField from(const LatticeCell& first) const {
    return {*picture_, h_ * cv::Matx33d(1, 0, first.first, 0, 1, first.second, 0, 0, 1), width_, height_};
  }

  [[nodiscard]] cv::Point2d at(double x, double y) const;
  // Of a square inside the patch; measured once.
  [[nodiscard]] const Level& levelAt(double x, double y) const;
  [[nodiscard]] double lightAt(const LatticeCell& c) const;  // log2
  // Whether anything is there: it differs from what lies beside the chart, at the ends of its column (of a
  // single row: above and below); where those are out of the picture, at the ends of its row.
  [[nodiscard]] bool shows(const LatticeCell& c, int columns, int rows) const;
  // Clockwise from the picture's top left, whichever way the lattice runs. `share`: of the patch.
  [[nodiscard]] Quad cornersOf(const LatticeCell& c, double share) const;

 private:
  [[nodiscard]] Level measured(double x, double y) const;

  const LumaPicture* picture_;
  cv::Matx33d h_;
  double width_, height_;
  mutable std::map<std::pair<double, double>, Level> levels_;
};

}  // namespace edge
