//! The documents are correct: their commands run, their cut lists work, and their links lead to files.

use std::fs;
use std::path::Path;

use crate::yard::{Yard, words};

fn project() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."))
}

fn read(document: &str) -> String {
    fs::read_to_string(project().join(document)).unwrap()
}

fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

fn blocks<'d>(document: &'d str, language: &str) -> Vec<&'d str> {
    let opening = format!("```{language}\n");
    document.split(&opening).skip(1).map(|rest| rest.split("```").next().unwrap()).collect()
}

fn commands(document: &str) -> Vec<String> {
    let lines = blocks(document, "console").concat();
    let commands = lines.lines().filter_map(|line| line.strip_prefix("$ keen-notch ")).map(|line| {
        match line.find("  #").or(line.find(" #")) {
            Some(comment) if !line[..comment].contains("-c #") => line[..comment].trim().to_owned(),
            _ => line.to_owned(),
        }
    });
    commands.collect()
}

#[test]
fn the_commands_of_the_readme_and_the_tour_run_on_the_demo() {
    let yard = demo();
    // A draft replaces no file, and the demo has this one.
    fs::remove_file(yard.path().join("crew.cutlist.toml")).unwrap();
    let commands = [commands(&read("README.md")), commands(&read("docs/tour.md"))].concat();
    assert!(commands.len() >= 20, "{commands:?}");
    for command in &commands {
        let ran = yard.paste(command);
        // A check with faults exits with 1.
        let finds_faults = command.starts_with("check") || command.contains("--strict");
        assert!(ran.status == 0 || (ran.status == 1 && finds_faults), "{command}\n{}", ran.shown());
    }
    // The first output in the README is correct.
    let shown = blocks(&read("README.md"), "console")[0].to_owned();
    let first: Vec<String> = words(&commands[0]);
    let first: Vec<&str> = first.iter().map(String::as_str).collect();
    let output = yard.command(&first).env("COLUMNS", "80").output().unwrap();
    let said = String::from_utf8(output.stderr).unwrap();
    let expected: Vec<&str> = shown.lines().skip(2).collect();
    let said_of_it: Vec<&str> = said.lines().filter(|line| expected.contains(line)).collect();
    assert_eq!(said_of_it, expected, "{said}");
}

#[test]
fn commands_of_the_documents_run_on_the_demo() {
    run_what_is_shown("docs/cookbook.md");
    run_what_is_shown("docs/formats.md");
    run_what_is_shown("docs/cluster.md");
    #[cfg(feature = "sqlite")]
    run_what_is_shown("docs/databases.md");
}

/// Runs the commands of a document and compares their output where it is shown.
fn run_what_is_shown(document: &str) {
    let yard = demo();
    let program = assert_cmd::cargo::cargo_bin("keen-notch");
    let folders = [program.parent().unwrap().to_str().unwrap(), &std::env::var("PATH").unwrap()].join(":");
    let mut commands = 0;
    for block in blocks(&read(document), "console") {
        // The output follows its command.
        for command in format!("\n{block}").replace("\\\n", "").split("\n$ ").skip(1) {
            // A here-document belongs to its command.
            let end = if command.contains("<<'END'\n") { "\nEND\n" } else { "\n" };
            let whole = format!("{command}\n");
            let (command, shown) = whole.split_once(end).unwrap();
            let command = &format!("{command}{end}");
            let mut shell = std::process::Command::new("sh");
            let ran = shell.args(["-ec", command]).current_dir(yard.path()).env("PATH", &folders).output().unwrap();
            assert!(ran.status.success(), "{command}\n{}", String::from_utf8_lossy(&ran.stderr));
            let printed = String::from_utf8_lossy(&ran.stdout);
            assert!(shown.trim().is_empty() || printed.trim_end() == shown.trim_end(), "{command}\n{printed}");
            commands += 1;
        }
    }
    assert!(commands >= 5, "{commands}");
}

#[test]
fn the_cut_list_of_the_readme_works() {
    let yard = demo();
    let lists: Vec<String> = blocks(&read("README.md"), "toml").iter().map(|list| (*list).to_owned()).collect();
    assert!(!lists.is_empty());
    for list in lists {
        yard.write("readme.cutlist.toml", &list);
        let out = yard.out(&["carve", "parts.csv", "-l", "readme.cutlist.toml", "-q", "--only-pieces"]);
        assert!(out.starts_with("family,serial,grade,label\nGRP,41273,S7K2,GRP / 41273\n"), "{out}");
        assert!(yard.run(&["explain", "readme.cutlist.toml"]).status == 0);
    }
    // The layout in docs/cutlists.md has two forms, and both match values.
    let document = read("docs/cutlists.md");
    yard.write("layout.cutlist.toml", blocks(&document, "toml").concat());
    yard.write("two.csv", "part_code\nGRP-00041273-S7K2\nHN041273\n");
    let out = yard.out(&["carve", "two.csv", "-l", "layout.cutlist.toml", "-q", "--only-pieces"]);
    assert_eq!(out, "family,serial,grade\nGRP,00041273,S7K2\nHN,041273,\n");
}

#[test]
fn every_key_of_a_cut_list_is_in_its_document() {
    let yard = Yard::new();
    let schema: serde_json::Value = serde_json::from_str(&yard.out(&["schema"])).unwrap();
    let mut keys = std::collections::BTreeSet::new();
    collect_keys(&schema, &mut keys);
    let document = read("docs/cutlists.md");
    for key in ["title", "column", "take", "hidden", "optional", "ragged", "unique"] {
        assert!(keys.contains(key), "{key} is not in the schema");
    }
    let missing: Vec<&String> =
        keys.iter().filter(|key| !document.contains(&format!("`{key}")) && !document.contains(&format!("[{key}"))).collect();
    assert!(missing.is_empty(), "{missing:?}");
}

fn collect_keys(schema: &serde_json::Value, keys: &mut std::collections::BTreeSet<String>) {
    match schema {
        serde_json::Value::Object(object) => {
            for (name, value) in object {
                if let ("properties", serde_json::Value::Object(properties)) = (name.as_str(), value) {
                    keys.extend(properties.keys().cloned());
                }
                collect_keys(value, keys);
            }
        }
        serde_json::Value::Array(all) => all.iter().for_each(|value| collect_keys(value, keys)),
        _ => {}
    }
}

#[test]
fn links_and_paths_lead_somewhere() {
    for document in [
        "README.md",
        "CHANGELOG.md",
        "CONTRIBUTING.md",
        "docs/design.md",
        "docs/cutlists.md",
        "docs/performance.md",
        "docs/tour.md",
        "docs/cookbook.md",
    ] {
        let text = read(document);
        let folder = project().join(document).parent().unwrap().to_owned();
        for link in text.split("](").skip(1).map(|rest| rest.split(')').next().unwrap()) {
            let is_elsewhere = link.starts_with("http") || link.starts_with('#');
            assert!(is_elsewhere || folder.join(link).exists(), "{document}: {link}");
        }
    }
    // The table of changes names files by their paths within `crates`.
    let table = read("CONTRIBUTING.md");
    let paths = table
        .split('`')
        .skip(1)
        .step_by(2)
        .filter(|path| path.starts_with("core/") || path.starts_with("cli/") || path.starts_with("io/"));
    for path in paths {
        let (package, rest) = path.split_once('/').unwrap();
        let found = [format!("crates/{package}/src/{rest}"), format!("crates/{package}/{rest}")];
        assert!(found.iter().any(|path| project().join(path).exists()), "{path}");
    }
    let (readme, tour) = (read("README.md"), read("docs/tour.md"));
    for picture in fs::read_dir(project().join("docs/screenshots")).unwrap() {
        let name = picture.unwrap().file_name().into_string().unwrap();
        let is_linked = readme.contains(&name) && tour.contains(&name);
        assert!(!name.ends_with(".png") || is_linked, "the README or the tour has no link to {name}");
    }
}

#[test]
fn every_command_has_help_that_fits_and_a_page_of_its_own() {
    let yard = Yard::new();
    let help = yard.out(&["--help"]);
    let commands: Vec<&str> = help
        .split("Commands:\n")
        .nth(1)
        .unwrap()
        .lines()
        .take_while(|line| line.starts_with("  "))
        .filter_map(|line| line.strip_prefix("  ")?.split(' ').next().filter(|word| !word.is_empty()))
        .collect();
    assert!(commands.len() >= 11, "{commands:?}");
    yard.out(&["manual", "--dir", "pages"]);
    for command in commands.into_iter().filter(|command| *command != "help") {
        let help = yard.out(&[command, "--help"]);
        assert!(help.lines().all(|line| line.chars().count() <= 100 || line.contains("keen-notch ")), "{help}");
        let page = yard.read(&format!("pages/keen-notch-{command}.1"));
        let options = help.lines().filter_map(|line| line.trim().split([' ', ',']).find(|word| word.starts_with("--")));
        for option in options {
            let escaped = option.replace('-', "\\-");
            assert!(page.contains(&escaped), "{command}: {option} is not on its page");
        }
    }
    // The examples in help texts parse.
    let demo = demo();
    for command in ["carve", "survey", "draft", "explain", "gauge"] {
        let help = demo.out(&[command, "--help"]);
        for line in
            help.lines().filter_map(|line| line.trim().strip_prefix("keen-notch ")).filter(|line| line.starts_with(command))
        {
            let ran = demo.paste(line);
            let may_end_so = ran.status == 1 && line.contains("--fail-on");
            assert!(ran.status == 0 || may_end_so || line.contains("--write"), "{line}: {:?}\n{}", words(line), ran.shown());
        }
    }
}

/// The modules of `src`, with their code except comments and tests.
fn modules(src: &Path) -> Vec<(String, String)> {
    fn code(path: &Path, into: &mut String) {
        if path.is_dir() {
            fs::read_dir(path).unwrap().for_each(|entry| code(&entry.unwrap().path(), into));
        } else if path.extension().is_some_and(|ending| ending == "rs") && !path.ends_with("tests.rs") {
            let text = fs::read_to_string(path).unwrap();
            let text = text.split("#[cfg(test)]\nmod tests {").next().unwrap();
            let lines = text.lines().filter(|line| !line.trim_start().starts_with("//"));
            lines.for_each(|line| *into += &format!("{line}\n"));
        }
    }
    let mut modules: std::collections::BTreeMap<String, String> = Default::default();
    for entry in fs::read_dir(src).unwrap() {
        let path = entry.unwrap().path();
        code(&path, modules.entry(path.file_stem().unwrap().to_str().unwrap().to_owned()).or_default());
    }
    modules.into_iter().filter(|(name, _)| name != "lib").collect()
}

#[test]
fn modules_import_only_lower_layers() {
    let design = read("docs/design.md");
    for krate in ["core", "io"] {
        let heading = format!("Modules of `crates/{krate}`:");
        let block = blocks(design.split(&heading).nth(1).unwrap(), "text")[0];
        let layers: Vec<Vec<&str>> =
            block.lines().map(|line| line.split("  ").next().unwrap().split_whitespace().collect()).collect();
        let layer_of = |module: &str| {
            let found = layers.iter().position(|layer| layer.contains(&module));
            found.unwrap_or_else(|| panic!("docs/design.md does not list {module} of {krate}"))
        };
        let modules = modules(&project().join(format!("crates/{krate}/src")));
        for (module, code) in &modules {
            for used in code.split("crate::").skip(1) {
                let used: String = used.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
                let used = if used == "Error" { "error".to_owned() } else { used };
                if used != *module && modules.iter().any(|(name, _)| *name == used) {
                    assert!(layer_of(module) < layer_of(&used), "{krate}: {module} imports {used}");
                }
            }
        }
    }
}
