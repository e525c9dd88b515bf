import { useQuery } from "@tanstack/react-query"
import { Link } from "react-router"
import { api } from "../../api/client"
import { ChoiceField, ValueField } from "../../parts/FormFields"
import { readYAML, useModels } from "../../parts/models"
import { useValues } from "../../parts/yaml"

/** What a bot thinks with, as a form over its brief. */
export function ModelForm(props: { text: string; onText: (text: string) => void }) {
  const values = useValues(props.text, props.onText)
  const models = useModels()
  const settings = useQuery({ queryKey: ["documents", "settings"], queryFn: () => api.documents("settings") })
  const otherwise = String(readYAML(settings.data?.items[0]?.text ?? "").model ?? "")
  if (!values.readable)
    return (
      <p className="p-4 text-soft">
        The text has an error that keeps the form from showing it. Mend it there.
      </p>
    )
  const use = values.get("model", "use") || otherwise
  const thinks = use !== "" && use !== "built-in"
  return (
    <div className="grid content-start gap-4 p-4 sm:grid-cols-2">
      <div className="sm:col-span-2">
        <ChoiceField
          values={values}
          path={["model", "use"]}
          label="This bot thinks with"
          about={
            thinks
              ? "The model writes the replies; each sentence is held against the knowledge, and the built-in thinker takes over where it fails."
              : "The built-in thinker quotes the knowledge. It needs no server and costs nothing."
          }
          choices={[
            [
              "",
              otherwise
                ? `what the business says: ${otherwise}`
                : "what the business says: the built-in thinker",
            ],
            ["built-in", "the built-in thinker"],
            ...models,
          ]}
        />
        {models.length === 0 && (
          <p className="mt-1 text-sm text-soft">
            No model server is connected.{" "}
            <Link className="text-sea underline" to="/connections?new=model">
              Connect one
            </Link>
          </p>
        )}
      </div>
      {thinks && (
        <>
          <ChoiceField
            values={values}
            path={["model", "unsupported"]}
            label="A sentence that nothing supports"
            about="What becomes of it before the customer sees anything."
            choices={[
              ["", "is left out"],
              ["hold", "makes the reply wait for a person"],
              ["built-in", "makes the built-in thinker reply"],
            ]}
          />
          <ValueField
            values={values}
            path={["model", "passages"]}
            number
            placeholder="12"
            label="Passages it reads for a reply"
          />
          <ValueField
            values={values}
            path={["model", "looks_at"]}
            number
            placeholder="80"
            label="Glimpses it chooses them from"
            about="Costs one more request where the knowledge is too large to be read whole; 0 leaves it out."
          />
          <ValueField
            values={values}
            path={["model", "rounds"]}
            number
            placeholder="4"
            label="Requests for one reply, at most"
            about="With what tools say in between."
          />
          <ValueField
            values={values}
            path={["model", "daily", "tokens"]}
            number
            placeholder="no bound"
            label="Tokens a day, at most"
            about="At the end the built-in thinker takes over until midnight."
          />
          <ValueField
            values={values}
            path={["model", "daily", "cost"]}
            number
            placeholder="no bound"
            label="Money a day, at most"
            about="By the price of the connection."
          />
        </>
      )}
    </div>
  )
}
