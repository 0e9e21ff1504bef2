// The page as one file: content, modules and pictures in it, all packed but a short start.
#include "view/pack.hpp"
#include "view/web.hpp"

#include <halvo/draw.hpp>
#include <halvo/io.hpp>
#include <halvo/report.hpp>

#include <fmt/format.h>

#include <array>

namespace halvo {
namespace {

constexpr std::array<const char*, 12> modules{"app", "camera", "choices", "colours", "content", "hands", "layers", "lists", "live", "panels", "plots", "scene"};

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '&') out += "&amp;";
        else if (c == '<') out += "&lt;";
        else if (c == '>') out += "&gt;";
        else if (c == '"') out += "&quot;";
        else out += c;
    }
    return out;
}

// What stands between {{ and }} is replaced.
std::string filled(std::string_view form, const std::function<std::string(std::string_view)>& value) {
    std::string out;
    std::size_t at = 0;
    while (true) {
        const std::size_t open = form.find("{{", at);
        if (open == std::string_view::npos) return out + std::string(form.substr(at));
        const std::size_t close = form.find("}}", open);
        out += form.substr(at, open - at);
        out += value(form.substr(open + 2, close - open - 2));
        at = close + 2;
    }
}

// They stand in for the scene on paper, and where no script runs.
std::string figures(const Job& job) {
    struct Figure {
        const char* what;
        DrawOptions options;
    };
    std::vector<Figure> list;
    DrawOptions solid;
    solid.solid = true;
    if (job.mesh.elements.empty()) list.push_back({"The solids by class", solid});
    else {
        DrawOptions edges;
        edges.colour = DrawOptions::Colour::edges;
        list.push_back({"Midsurfaces and members, by thickness", {}}), list.push_back({"Edges, by the number of sheets on them", edges});
    }
    if (!job.solution.cases.empty()) {
        DrawOptions result;
        result.colour = DrawOptions::Colour::result, result.result = "von mises", result.load_case = job.solution.cases.back().name;
        list.push_back({"Von Mises stress on the deformed shape", result});
    }
    std::string out;
    for (const Figure& f : list)
        out += fmt::format("<figure><img alt=\"{0}\" src=\"data:image/png;base64,{1}\"><figcaption>{0}</figcaption></figure>\n", f.what,
                           view::base64(picture(job, f.options)));
    return out;
}

std::string module_blocks() {
    std::string out;
    const auto block = [&](const std::string& name, std::string_view text) {
        out += fmt::format("<script type=\"application/octet-stream\" data-module=\"{}\">{}</script>\n", name, view::base64(view::deflated(std::string(text))));
    };
    block("three", view::web_file("three"));
    for (const char* m : modules) block(m, view::web_file(m));
    return out;
}

}  // namespace

std::string report_page(const Job& job, const ReportOptions& options) {
    const std::string content = view::base64(report_content(job, options));
    return filled(view::web_file("page"), [&](std::string_view what) -> std::string {
        if (what == "title") return escaped(options.title.empty() ? job.solids.file : options.title);
        if (what == "style") return std::string(view::web_file("style"));
        if (what == "start") return std::string(view::web_file("start"));
        if (what == "modules") return module_blocks();
        if (what == "content") return content;
        if (what == "figures") return options.figures ? figures(job) : "";
        throw Error(ErrorKind::stage, fmt::format("the page's form asks for {}, which nothing gives", what));
    });
}

void write_report(const std::filesystem::path& file, const Job& job, const ReportOptions& options) {
    write_text(file, report_page(job, options));
}

}  // namespace halvo
