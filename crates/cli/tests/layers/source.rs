//! The modules of a crate, what each defines, and where its paths lead.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use syn::visit::{self, Visit};
use syn::{Attribute, Item, ItemMod, ItemUse, UseTree, Visibility};

/// By file: the files that it needs, with the names that it uses from each.
pub(crate) type Needs = BTreeMap<String, BTreeMap<String, BTreeSet<String>>>;

/// A module's path from the root; empty for the root itself.
type ModulePath = Vec<String>;

#[derive(Default)]
struct Module {
    file: String,
    /// What it defines.
    items: BTreeSet<String>,
    /// What a `use` imports, by its local name.
    uses: BTreeMap<String, Vec<String>>,
    /// Modules that are imported with a glob.
    globs: Vec<Vec<String>>,
    /// Every path in it.
    paths: BTreeSet<Vec<String>>,
}

/// A crate's source. See the [module](self).
pub(crate) struct Crate {
    root: PathBuf,
    modules: BTreeMap<ModulePath, Module>,
}

impl Crate {
    /// Parses the crate whose root file is in this folder.
    pub(crate) fn parse(folder: &Path) -> Crate {
        let root = ["lib.rs", "main.rs"].map(|name| folder.join(name));
        let root = root.into_iter().find(|file| file.exists()).expect("a crate has a root");
        let mut parsed = Crate { root: folder.to_owned(), modules: BTreeMap::new() };
        parsed.read(&root, folder, Vec::new());
        parsed
    }

    /// Parses a file as a module; `folder` contains the files of its submodules.
    fn read(&mut self, file: &Path, folder: &Path, path: ModulePath) {
        let text = std::fs::read_to_string(file).unwrap_or_else(|e| panic!("{file:?}: {e}"));
        let parsed = syn::parse_file(&text).unwrap_or_else(|e| panic!("{file:?}: {e}"));
        let name = file.strip_prefix(&self.root).unwrap().display().to_string();
        self.take(parsed.items, name.replace('\\', "/"), folder, path);
    }

    fn take(&mut self, items: Vec<Item>, file: String, folder: &Path, path: ModulePath) {
        let mut module = Module { file: file.clone(), ..Module::default() };
        for item in items {
            if is_for_tests(attributes(&item)) {
                continue;
            }
            if let Item::Mod(ItemMod { ident, content, .. }) = item {
                let name = ident.to_string();
                let below = folder.join(&name);
                let path = [path.clone(), vec![name.clone()]].concat();
                match content {
                    Some((_, items)) => self.take(items, file.clone(), &below, path),
                    None => {
                        let beside = folder.join(format!("{name}.rs"));
                        let file = if beside.exists() { beside } else { below.join("mod.rs") };
                        self.read(&file, &below, path);
                    }
                }
                continue;
            }
            module.items.extend(name_of(&item));
            module.visit_item(&item);
        }
        self.modules.insert(path, module);
    }

    /// What each file needs.
    pub(crate) fn needs(&self) -> Needs {
        let mut needs = Needs::new();
        for (path, module) in &self.modules {
            let of_file = needs.entry(module.file.clone()).or_default();
            for written in &module.paths {
                if let Some((file, name)) = self.resolve(path, written, &mut BTreeSet::new())
                    && file != module.file
                {
                    of_file.entry(file).or_default().insert(name);
                }
            }
        }
        needs
    }

    /// The file where a path in a module leads, and the name found there.
    fn resolve(
        &self,
        from: &[String],
        written: &[String],
        seen: &mut BTreeSet<(ModulePath, Vec<String>)>,
    ) -> Option<(String, String)> {
        /// Longer paths come from globs over other crates, and lead nowhere.
        const LONGEST: usize = 12;
        // A name that imports itself indirectly leads nowhere either.
        if written.len() > LONGEST || !seen.insert((from.to_vec(), written.to_vec())) {
            return None;
        }
        let (first, mut rest) = written.split_first()?;
        let mut at = from.to_vec();
        match first.as_str() {
            "crate" => at.clear(),
            "self" => {}
            "super" => drop(at.pop()),
            _ => rest = written,
        }
        while let Some((name, beyond)) = rest.split_first() {
            if name == "super" {
                at.pop();
                rest = beyond;
                continue;
            }
            let child = [at.clone(), vec![name.clone()]].concat();
            let module = self.modules.get(&at)?;
            if module.items.contains(name) {
                return Some((module.file.clone(), name.clone()));
            }
            if self.modules.contains_key(&child) {
                at = child;
                rest = beyond;
                continue;
            }
            if let Some(to) = module.uses.get(name) {
                // A name of another crate, imported by itself.
                if to.first() == Some(name) {
                    return None;
                }
                return self.resolve(&at, &[to.as_slice(), beyond].concat(), seen);
            }
            let mut globs = module.globs.iter();
            return globs.find_map(|to| self.resolve(&at, &[to.as_slice(), rest].concat(), seen));
        }
        None
    }
}

impl<'ast> Visit<'ast> for Module {
    fn visit_item_use(&mut self, item: &'ast ItemUse) {
        // A private `use` is a path of this file; a public one passes a name on.
        let is_public = !matches!(item.vis, Visibility::Inherited);
        self.take_use(&item.tree, &mut Vec::new(), is_public);
    }

    fn visit_item_mod(&mut self, item: &'ast ItemMod) {
        if !is_for_tests(&item.attrs) {
            visit::visit_item_mod(self, item);
        }
    }

    fn visit_item_fn(&mut self, item: &'ast syn::ItemFn) {
        if !is_for_tests(&item.attrs) {
            visit::visit_item_fn(self, item);
        }
    }

    fn visit_path(&mut self, path: &'ast syn::Path) {
        let names: Vec<String> = path.segments.iter().map(|part| part.ident.to_string()).collect();
        self.paths.insert(names);
        visit::visit_path(self, path);
    }
}

impl Module {
    fn take_use(&mut self, tree: &UseTree, before: &mut Vec<String>, is_public: bool) {
        match tree {
            UseTree::Path(path) => {
                before.push(path.ident.to_string());
                self.take_use(&path.tree, before, is_public);
                before.pop();
            }
            UseTree::Name(name) if name.ident == "self" => {
                let known = before.last().cloned().unwrap_or_default();
                self.bring(known, before.clone(), is_public);
            }
            UseTree::Name(name) => {
                let name = name.ident.to_string();
                let path = [before.clone(), vec![name.clone()]].concat();
                self.bring(name, path, is_public);
            }
            UseTree::Rename(name) => {
                let path = [before.clone(), vec![name.ident.to_string()]].concat();
                self.bring(name.rename.to_string(), path, is_public);
            }
            UseTree::Glob(_) => self.globs.push(before.clone()),
            UseTree::Group(group) => {
                for tree in &group.items {
                    self.take_use(tree, before, is_public);
                }
            }
        }
    }

    fn bring(&mut self, name: String, path: Vec<String>, is_public: bool) {
        if !is_public {
            self.paths.insert(path.clone());
        }
        self.uses.insert(name, path);
    }
}

fn attributes(item: &Item) -> &[Attribute] {
    match item {
        Item::Const(item) => &item.attrs,
        Item::Enum(item) => &item.attrs,
        Item::Fn(item) => &item.attrs,
        Item::Impl(item) => &item.attrs,
        Item::Macro(item) => &item.attrs,
        Item::Mod(item) => &item.attrs,
        Item::Static(item) => &item.attrs,
        Item::Struct(item) => &item.attrs,
        Item::Trait(item) => &item.attrs,
        Item::Type(item) => &item.attrs,
        Item::Use(item) => &item.attrs,
        _ => &[],
    }
}

fn is_for_tests(attributes: &[Attribute]) -> bool {
    attributes.iter().any(|attribute| {
        let is_test = |list: &syn::MetaList| list.tokens.to_string() == "test";
        attribute.path().is_ident("cfg") && attribute.meta.require_list().is_ok_and(is_test)
    })
}

fn name_of(item: &Item) -> Option<String> {
    let name = match item {
        Item::Const(item) => &item.ident,
        Item::Enum(item) => &item.ident,
        Item::Fn(item) => &item.sig.ident,
        Item::Macro(item) => item.ident.as_ref()?,
        Item::Static(item) => &item.ident,
        Item::Struct(item) => &item.ident,
        Item::Trait(item) => &item.ident,
        Item::Type(item) => &item.ident,
        _ => return None,
    };
    Some(name.to_string())
}
