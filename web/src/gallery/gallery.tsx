import { IconCopy, IconTrash } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { copyProject, deleteProject, listProjects } from "../api/rest";
import type { ProjectCard } from "../api/schema.generated";
import { Mark } from "../ui/mark";
import { ThemeSwitch } from "../ui/theme_switch";
import { NewProjectCard } from "./new_project";

const when = new Intl.DateTimeFormat("en", { dateStyle: "medium", timeStyle: "short" });

/** All projects, and the way to start another. */
export function Gallery() {
  const [projects, setProjects] = useState<ProjectCard[] | null>(null);
  const [problem, setProblem] = useState<string | null>(null);

  useEffect(() => {
    let current = true;
    listProjects()
      .then((found) => current && setProjects(found))
      .catch((error: Error) => current && setProblem(error.message));
    return () => {
      current = false;
    };
  }, []);

  const remove = async (project: ProjectCard) => {
    if (!confirm(`Delete “${project.name}” with all its paint? This cannot be undone.`)) return;
    try {
      await deleteProject(project.id);
      setProjects((all) => all?.filter(({ id }) => id !== project.id) ?? null);
    } catch (error) {
      setProblem((error as Error).message);
    }
  };

  const copy = async (project: ProjectCard) => {
    try {
      await copyProject(project.id);
      setProjects(await listProjects());
    } catch (error) {
      setProblem((error as Error).message);
    }
  };

  return (
    <main className="min-h-full p-3">
      <header className="card flex h-[42px] items-center justify-between px-3.5">
        <Mark />
        <ThemeSwitch />
      </header>
      <div className="mx-auto mt-6 max-w-[1080px]">
        <h1 className="px-1 text-lg font-semibold text-[#1e2422]">Projects</h1>
        {problem && (
          <p role="alert" className="card mt-3 px-4 py-3 text-danger">
            {problem}
          </p>
        )}
        <ul className="mt-3 grid grid-cols-[repeat(auto-fill,minmax(310px,1fr))] gap-4">
          <li>
            <NewProjectCard />
          </li>
          {projects?.map((project) => (
            <li key={project.id} className="card group relative overflow-hidden">
              <a href={`#/project/${project.id}`} className="block rounded-card focus-visible:-outline-offset-2">
                <img
                  src={`/api/projects/${project.id}/picture.png?${project.revision}`}
                  alt=""
                  className="aspect-4/3 w-full object-cover"
                />
                <span className="block px-3.5 pt-2.5 font-semibold">{project.name}</span>
                <span className="block px-3.5 pb-3 text-ink-2">Changed {when.format(new Date(project.changed))}</span>
              </a>
              <button
                type="button"
                title={`Duplicate ${project.name}`}
                aria-label={`Duplicate ${project.name}`}
                onClick={() => void copy(project)}
                className="absolute right-11 bottom-3 grid size-8 place-items-center rounded-control text-ink-2 hover:bg-fog-2"
              >
                <IconCopy size={17} stroke={1.7} />
              </button>
              <button
                type="button"
                title={`Delete ${project.name}`}
                aria-label={`Delete ${project.name}`}
                onClick={() => void remove(project)}
                className="absolute right-2.5 bottom-3 grid size-8 place-items-center rounded-control text-ink-2 hover:bg-fog-2 hover:text-danger"
              >
                <IconTrash size={17} stroke={1.7} />
              </button>
            </li>
          ))}
        </ul>
      </div>
    </main>
  );
}
