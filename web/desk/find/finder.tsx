import { useState } from "react";
import { Autocomplete, Dialog, Input, Label, Menu, MenuItem, Modal, ModalOverlay, SearchField } from "react-aria-components";
import { useActions } from "./actions.ts";

/** Any action by typing. */
export function Finder({ onClose }: { onClose: () => void }) {
  const [asked, setAsked] = useState("");
  const actions = useActions(asked);
  const act = (id: unknown) => {
    onClose();
    actions.find((action) => action.id === id)?.run();
  };
  return (
    <ModalOverlay className="finder-ground" isOpen isDismissable onOpenChange={(isOpen) => { if (!isOpen) onClose(); }}>
      <Modal className="finder">
        <Dialog aria-label="Do something">
          <Autocomplete inputValue={asked} onInputChange={setAsked}>
            {/* The field is what the keys were pressed for. */}
            {/* eslint-disable-next-line jsx-a11y/no-autofocus */}
            <SearchField autoFocus><Label>What would you like to do?</Label><Input placeholder="record, hotspot, run 12, dark …" /></SearchField>
            <Menu aria-label="What fits" className="found" items={actions} onAction={act} renderEmptyState={() => <p className="quiet">Nothing is called that.</p>}>
              {(action) => (
                <MenuItem id={action.id} textValue={action.name}>
                  <span>{action.name}</span>
                  {action.command && <code>{action.command}</code>}
                  {action.key && <kbd>{action.key}</kbd>}
                </MenuItem>
              )}
            </Menu>
          </Autocomplete>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}
