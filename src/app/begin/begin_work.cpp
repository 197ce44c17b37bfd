// What the dialog does beside the interface thread: looking, sorting, making the project or adding to it.
#include <algorithm>

#include "base/error.h"
#include "begin/begin_dialog.h"
#include "begin/bracket_order.h"
#include "project/analysis.h"
#include "theme/text.h"

namespace edge::app {

// The open project where the clips are to be added to it, else nothing: its bases are looked at as well.
BeginDialog::Open BeginDialog::stoodHere() const {
  return adding() ? *open_ : Open{};
}

void BeginDialog::addToOpen(bool add) {
  where_->setCurrentIndex(add ? 1 : 0);
  file_->setVisible(!add);
  make_->setText(add ? "Add the clips" : "Make the project");
  // What the project knows of its decoding needs not be said again.
  if (add && options_.decode.curve.empty())
    for (const auto& c : open_->configurations)
      if (!c.decode.curve.empty() && c.decode.curve != "linear") {
        options_.decode = decodeOf(c, open_->file.parent_path());
        range_->setCurrentIndex(std::max(
            0, range_->findData(options_.decode.range ? static_cast<int>(*options_.decode.range) : -1)));
        return setCurve(q(options_.decode.curve));
      }
  look();
}

void BeginDialog::working() {
  make_->setEnabled(false);
  problem_->hide();
  bar_->setValue(0);
  bar_->show();
}

void BeginDialog::look() {
  working();
  const Open open = stoodHere();
  const auto bases = keptBases(open.configurations, open.file.parent_path());
  job_.start("looking", [this, folders = folders_, options = options_, bases, stood = stoodHere(),
                         said = saidBases_](const Progress& progress, const Job::Deliver& deliver) {
    auto clips = unplannedClips(folders);
    if (clips.empty())
      throw Error("there are no clips in it", folders.front().string(), "",
                  "choose the folder that the cards were copied to");
    for (const auto& base : bases)
      if (std::find(clips.begin(), clips.end(), base) == clips.end()) clips.push_back(base);
    auto looks = std::make_shared<std::vector<ClipLook>>(lookAtAll(clips, options.decode, progress));
    auto shoot = std::make_shared<SortedShoot>(sortOut(*looks, options, progress));
    countFromKept(*shoot, *looks, stood.configurations, stood.file.parent_path(), options.step, said);
    deliver([this, looks, shoot] {
      looks_ = std::move(*looks);
      sorted(std::move(*shoot));
    });
  });
}

// Many clips take a while: beside the interface thread, on their own copy.
void BeginDialog::sort() {
  if (looks_.empty()) return;
  make_->setEnabled(false);
  job_.start("sorting", [this, looks = looks_, options = options_, stood = stoodHere(), said = saidBases_](
                            const Progress& progress, const Job::Deliver& deliver) {
    auto shoot = std::make_shared<SortedShoot>(sortOut(looks, options, progress));
    countFromKept(*shoot, looks, stood.configurations, stood.file.parent_path(), options.step, said);
    deliver([this, shoot] { sorted(std::move(*shoot)); });
  });
}

void BeginDialog::sorted(SortedShoot shoot) {
  shoot_ = std::move(shoot);
  for (auto& g : shoot_.groups) {
    for (size_t c = 0; c < g.clips.size(); ++c)
      if (const auto role = roleByHand_.find(g.clips[c].look); role != roleByHand_.end()) {
        setRole(g, c, role->second);
        if (role->second == ClipRole::Base) snapToStep(g, options_.step);
      }
    for (auto& c : g.clips)
      if (const auto planned = plannedByHand_.find(c.look); planned != plannedByHand_.end())
        c.planned = planned->second, c.why = "said by hand";
    if (const auto body = bodyByHand_.find(g.body); body != bodyByHand_.end()) g.body = body->second;
  }
  fill();
}

// Nothing is stored here: the window does it as one step that can be undone.
void BeginDialog::join() {
  const double step = wedgeStep_->currentData().toDouble();
  working();
  job_.start("finding charts", [this, open = *open_, shoot = shoot_, looks = looks_, decode = options_.decode,
                                step = step > 0 ? std::optional(step) : std::nullopt](
                                   const Progress& progress, const Job::Deliver& deliver) {
    const auto folder = open.file.parent_path();
    auto joined = std::make_shared<JoinedShoot>(
        joinShoot(open.configurations, open.recipe, shoot, looks, decode, folder));
    if (joined->added == 0)
      throw Error("none of these clips is new to the project", open.file.filename().string(), "",
                  joined->leftOut.empty() ? "choose another folder" : joined->leftOut.front());
    placeNew(*joined, folder, step, progress);
    deliver([this, joined] {
      joined_ = std::move(*joined);
      accept();
    });
  });
}

void BeginDialog::write() {
  if (adding()) return join();
  const std::filesystem::path file = file_->text().toStdString();
  const double step = wedgeStep_->currentData().toDouble();
  working();
  job_.start("finding charts", [this, file, shoot = shoot_, looks = looks_, decode = options_.decode,
                                step = step > 0 ? std::optional(step) : std::nullopt](
                                   const Progress& progress, const Job::Deliver& deliver) {
    const auto folder = std::filesystem::absolute(file).lexically_normal().parent_path();
    auto configurations = configurationsOf(shoot, looks, decode, folder);
    (void)placeAll(configurations, folder, step, progress);
    const auto recipe = planBackwards(configurations, shoot, looks, file);
    writeProject(configurations, recipe, file);
    deliver([this, file] {
      written_ = file;
      accept();
    });
  });
}

}  // namespace edge::app
