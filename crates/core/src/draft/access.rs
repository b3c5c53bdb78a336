//! The steps that reach a part of a value, with alternatives.

#[derive(Debug, Clone, PartialEq)]
pub struct Access {
    branches: Vec<Vec<String>>,
}

impl Default for Access {
    fn default() -> Access {
        Access { branches: vec![Vec::new()] }
    }
}

impl Access {
    pub fn then(&self, step: &str) -> Access {
        let further = |branch: &Vec<String>| branch.iter().cloned().chain([step.to_owned()]).collect();
        Access { branches: self.branches.iter().map(further).collect() }
    }

    pub fn or(mut self, other: &Access) -> Access {
        self.branches.extend(other.branches.iter().cloned());
        self
    }

    pub fn phrase(&self) -> String {
        let branch = |steps: &Vec<String>| if steps.is_empty() { "whole".to_owned() } else { steps.join(" then ") };
        self.branches.iter().map(branch).collect::<Vec<_>>().join(" or ")
    }
}
